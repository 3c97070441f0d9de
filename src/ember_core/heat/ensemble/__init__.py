"""Many likely pieces instead of one: forecast, learning from readings, sensitivity."""
