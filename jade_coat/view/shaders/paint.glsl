// The paint that props have of their own, see `paint_pages.py`.
uniform usampler2D paint_pages;

uvec4 paint_texel(int at) {
    return texelFetch(paint_pages, ivec2(at & 1023, at >> 10), 0);
}

// A colour set of a vertex: of the prop's own paint, by its number, or what the mesh has.
uvec4 own_paint(int owner, int vertex, int set, uvec4 of_mesh) {
    if (owner == 0) return of_mesh;
    uvec4 page = paint_texel(owner);
    if (uint(set) >= page.z) return of_mesh;
    return paint_texel(int(page.x | page.y << 16u) + vertex * int(page.z) + set);
}
