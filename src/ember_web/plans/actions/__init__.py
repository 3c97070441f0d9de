"""What changes plans."""
