// Finds out what a pixel shows of a crowd: many small triangles that were sighted before they are drawn.
// Burns & Hunt 2013, The Visibility Buffer (JCGT 2/2).
uniform usampler2D sighted;   // at each pixel the number of the instance, and in 24 bits that of its triangle
uniform sampler2D crowd;      // four texels an instance: three rows of its matrix, then its row of looks, its seed and
                              // the number of the prop whose paint it shows
uniform vec2 pixel;           // the size of a pixel where the picture reaches from -1 to 1

vec4 own_texel(int member, int at) {
    return texelFetch(crowd, ivec2((member & 255) * 4 + at, member >> 8), 0);
}

// The vertices of a triangle by its number in the mesh.
ivec3 triangle(int number) {
    return ivec3(corner_texel(corner_shape.y + number).xyz);
}

// The shares of three corners, in proportion, where each is given relative to the pixel as (x - at.x * w, y - at.y * w).
vec3 shares(vec2 a, vec2 b, vec2 c) {
    return vec3(b.x * c.y - b.y * c.x, c.x * a.y - c.y * a.x, a.x * b.y - a.y * b.x);
}
