"""Heat in the piece: properties, surroundings, solver, cook, forecast."""
