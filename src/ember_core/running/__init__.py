"""What is really happening to a piece: its history from what was done to it, its state, what checks say, and what comes next."""
