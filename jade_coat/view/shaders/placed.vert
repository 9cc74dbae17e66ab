// Places a vertex of an instance, and finds the instance's row of the dial table.
uniform mat4 view_projection;
uniform sampler2D row_table;
uniform ivec2 row_shape;  // texels a row, rows a column of the table

in mat4 in_matrix;
in int in_row;

flat out ivec2 pixel_row_at;

void main() {
    vec4 world = in_matrix * vec4(in_position, 1.0);
    gl_Position = view_projection * world;
    ivec2 row_at = ivec2((in_row / row_shape.y) * row_shape.x, in_row % row_shape.y);
    pixel_row_at = row_at;
