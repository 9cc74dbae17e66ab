// What placing a vertex of an instance needs: the camera, and where the instance's row is in the dial table.
uniform mat4 view_projection;
uniform sampler2D row_table;
uniform int row_texels;

// The number of a row is in its lower 20 bits; in those above, how far the instance has gone from afar, in sixteenths.
ivec2 row_place(int row) {
    return ivec2(((row & 0xfffff) >> 12) * row_texels, row & 4095);  // 4096 rows a column
}

// How much is left of an instance that goes from afar, 0 to 1.
float left_of(int row) {
    return 1.0 - float(row >> 20) / 16.0;
}
