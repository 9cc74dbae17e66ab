// Turns the G-buffer into the picture asked for, where there is a surface. Before this stand the attachments, for each
// quantity `read_NAME()`, and `shown()`, what a pixel of a surface shows (view/passes/compose.py).
out vec4 picture;

void main() { picture = vec4(shown(), 1.0); }
