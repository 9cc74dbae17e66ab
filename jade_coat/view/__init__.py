"""The renderer: its own process with its own OpenGL context; no Qt."""
