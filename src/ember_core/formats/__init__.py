"""The open formats: plan, result and log."""
