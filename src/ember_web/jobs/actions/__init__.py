"""What starts and ends long jobs."""
