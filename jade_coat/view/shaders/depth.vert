// Depth only, for the sun's shadow.
in vec3 in_position;
in mat4 in_matrix;

uniform mat4 view_projection;

void main() { gl_Position = view_projection * in_matrix * vec4(in_position, 1.0); }
