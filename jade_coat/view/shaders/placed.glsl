// What placing a vertex of an instance needs: the camera, and where the instance's row is in the dial table.
uniform mat4 view_projection;
uniform sampler2D row_table;
uniform int row_texels;

ivec2 row_place(int row) {
    return ivec2((row >> 12) * row_texels, row & 4095);  // 4096 rows a column
}
