"""Words and quantities: sentences that remember what they were made of, and the units a reader wants."""
