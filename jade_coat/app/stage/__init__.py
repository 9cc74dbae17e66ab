"""Stage: things in their places."""
