"""What changes the log."""
