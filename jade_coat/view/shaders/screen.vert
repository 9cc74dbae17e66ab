// One triangle over the whole picture.
out vec2 at;
uniform float screen_depth = 0.5;

void main() {
    at = vec2((gl_VertexID << 1) & 2, gl_VertexID & 2);
    gl_Position = vec4(at * 2.0 - 1.0, screen_depth * 2.0 - 1.0, 1.0);
}
