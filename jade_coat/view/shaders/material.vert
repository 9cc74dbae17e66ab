// Places a vertex of an instance and hands the material what it works out at the vertices.
in vec3 in_position;
in vec3 in_normal;
in vec4 in_tangent;
in mat4 in_matrix;
in int in_row;

uniform mat4 view_projection;
uniform sampler2D row_table;
uniform ivec2 row_shape;  // texels a row, rows a column of the table

flat out ivec2 pixel_row_at;

void main() {
    vec4 world = in_matrix * vec4(in_position, 1.0);
    gl_Position = view_projection * world;
    ivec2 row_at = ivec2((in_row / row_shape.y) * row_shape.x, in_row % row_shape.y);
    pixel_row_at = row_at;
    vec3 attribute_position = in_position;
    vec3 attribute_object_normal = in_normal;
    vec4 attribute_object_tangent = in_tangent;
    vec3 attribute_world_position = world.xyz;
    vec3 attribute_normal = normalize(mat3(in_matrix) * in_normal);
    vec4 attribute_tangent = vec4(normalize(mat3(in_matrix) * in_tangent.xyz), in_tangent.w);
