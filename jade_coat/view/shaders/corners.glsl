// Reads vertices of a mesh from its table, see `crowd_tables.py`.
uniform sampler2D corners;    // for each vertex a texel a stream, and behind them one a triangle
uniform ivec3 corner_shape;   // streams a vertex, where the triangles begin, and where there is nothing

vec4 corner_texel(int at) {
    return texelFetch(corners, ivec2(at & 1023, at >> 10), 0);
}

// A stream of a vertex; 0 for one that the mesh does not have.
vec4 stream(int vertex, int place) {
    return corner_texel(place < 0 ? corner_shape.z : vertex * corner_shape.x + place);
}
