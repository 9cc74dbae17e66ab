"""The picture, what lies over it, and the buttons of its own."""
