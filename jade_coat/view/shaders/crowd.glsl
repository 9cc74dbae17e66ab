// Finds out what a pixel shows of a crowd: many small triangles that were sighted before they are drawn.
// Burns & Hunt 2013, The Visibility Buffer (JCGT 2/2).
uniform usampler2D sighted;   // at each pixel the number of the instance, and in 24 bits that of its triangle
uniform sampler2D crowd;      // four texels an instance: three rows of its matrix, then its row of looks, its seed and
                              // the number of the prop whose paint it shows
uniform sampler2D corners;    // for each vertex a texel a stream, and behind them one a triangle
uniform ivec2 run;            // the first of the triangles it is drawn with, and how many
uniform ivec3 corner_shape;   // streams a vertex, where the triangles begin, and where there is nothing
uniform vec2 pixel;           // the size of a pixel where the picture reaches from -1 to 1

vec4 own_texel(int member, int at) {
    return texelFetch(crowd, ivec2((member & 255) * 4 + at, member >> 8), 0);
}

vec4 corner_texel(int at) {
    return texelFetch(corners, ivec2(at & 1023, at >> 10), 0);
}

// A stream of a vertex; 0 for one that the mesh does not have.
vec4 stream(int vertex, int place) {
    return corner_texel(place < 0 ? corner_shape.z : vertex * corner_shape.x + place);
}

// The vertices of a triangle by its number, which may count on from one instance to the next. In floats, since whole
// numbers are slow to divide.
ivec3 triangle(uint number) {
    float count = float(run.y), own = float(int(number));
    own -= floor((own + 0.5) / count) * count;
    return ivec3(corner_texel(corner_shape.y + run.x + int(own)).xyz);
}

// The shares of three corners, in proportion, where each is given relative to the pixel as (x - at.x * w, y - at.y * w).
vec3 shares(vec2 a, vec2 b, vec2 c) {
    return vec3(b.x * c.y - b.y * c.x, c.x * a.y - c.y * a.x, a.x * b.y - a.y * b.x);
}
