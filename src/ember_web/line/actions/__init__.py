"""What changes the line."""
