"""What changes a kitchen's own foods, rules and rows of the book."""
