"""What the window does with its rooms, one concern per module: each takes the window and connects itself."""
