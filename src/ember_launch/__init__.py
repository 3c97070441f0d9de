"""Set-up and supervision with the standard library only: runs before anything is installed."""
