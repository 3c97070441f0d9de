"""Rules as written, the lethality model, and the verdict that shows both."""
