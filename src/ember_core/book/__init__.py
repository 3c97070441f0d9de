"""Foods, cuts, ways and doneness names."""
