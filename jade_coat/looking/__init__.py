"""Works looks out at places of a surface, without a picture: at a point, along a line, over a prop, at its vertices."""
