"""What a measure means in a frame: the lines, angles and bars that show it. Film pixels, no painting."""
