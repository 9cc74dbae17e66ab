// The fault finish needs nothing but a place.
in vec3 in_position;
in vec3 in_normal;
in mat4 in_matrix;

uniform mat4 view_projection;

out vec3 world_normal;

void main() {
    world_normal = normalize(mat3(in_matrix) * in_normal);
    gl_Position = view_projection * in_matrix * vec4(in_position, 1.0);
}
