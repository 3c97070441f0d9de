"""Tools for those who work on the project; the application imports none of them."""
