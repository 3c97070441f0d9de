"""What is asked of a cook, and what is said about it: types that know nothing else of ours."""
