// Functions that emitted expressions call. Each starts with "//! name" and stands alone but for those named before it.

//! safe_div
float safe_div(float a, float b) { return b == 0.0 ? 0.0 : a / b; }
vec2 safe_div(vec2 a, vec2 b) { return vec2(safe_div(a.x, b.x), safe_div(a.y, b.y)); }
vec3 safe_div(vec3 a, vec3 b) { return vec3(safe_div(a.xy, b.xy), safe_div(a.z, b.z)); }
vec4 safe_div(vec4 a, vec4 b) { return vec4(safe_div(a.xy, b.xy), safe_div(a.zw, b.zw)); }

//! pcg3d
// Jarzynski & Olano, Hash Functions for GPU Rendering, JCGT 9(3), 2020.
uvec3 pcg3d(uvec3 v) {
    v = v * 1664525u + 1013904223u;
    v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
    v ^= v >> 16u;
    v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
    return v;
}

//! gradient_noise
// Perlin 2002: quintic fade, gradients from a hash: one word of the 1-D PCG a corner (Jarzynski & Olano 2020).
const uvec3 noise_axes = uvec3(747796405u, 2246822519u, 3266489917u);
// A gradient h * step - 1 times the way from the corner: `away` is that way times the step, `sum` its parts' sum.
float noise_corner(uint state, vec3 away, float sum) {
    uint word = ((state >> ((state >> 28u) + 4u)) ^ state) * 277803737u;
    word ^= word >> 22u;
    vec3 h = vec3(ivec3(uvec3(word >> 21u, (word >> 10u) & 0x7FFu, word & 0x3FFu)));
    return h.x * away.x + h.y * away.y + h.z * away.z - sum;
}
float gradient_noise(vec3 p, uint seed) {
    const vec3 steps = vec3(9.765625e-04, 9.765625e-04, 1.953125e-03);
    vec3 low = floor(p), f = p - low, a = f * steps, b = (f - 1.0) * steps;
    uvec3 n = uvec3(ivec3(low)) * noise_axes;
    uint here = n.x + n.y + n.z + seed * 0x9E3779B9u, up = here + noise_axes.y;
    float sum = f.x + f.y + f.z;
    vec3 fade = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    vec4 left = vec4(
        noise_corner(here, a, sum), noise_corner(up, vec3(a.x, b.y, a.z), sum - 1.0),
        noise_corner(here + noise_axes.z, vec3(a.xy, b.z), sum - 1.0),
        noise_corner(up + noise_axes.z, vec3(a.x, b.yz), sum - 2.0));
    here += noise_axes.x;
    up += noise_axes.x;
    vec4 right = vec4(
        noise_corner(here, vec3(b.x, a.yz), sum - 1.0), noise_corner(up, vec3(b.xy, a.z), sum - 2.0),
        noise_corner(here + noise_axes.z, vec3(b.x, a.y, b.z), sum - 2.0),
        noise_corner(up + noise_axes.z, b, sum - 3.0));
    vec4 edges = left + (right - left) * fade.x;
    vec2 faces = edges.xz + (edges.yw - edges.xz) * fade.y;
    return faces.x + (faces.y - faces.x) * fade.z;
}

//! cells
// Worley 1996: one random point a cell, from the hash's state before its first mixing. Written out, since a loop over
// so many short steps costs a third more.
struct Cells { float first; float second; float mark; };
void cell(uvec3 v, vec3 away, inout Cells found) {
    v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
    v ^= v >> 16u;
    v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
    vec3 at = vec3(ivec3(v >> 8u)) * 5.96046448e-08;
    vec3 d = at + away;
    float here = d.x * d.x + d.y * d.y + d.z * d.z;
    found.mark = here < found.first ? at.x : found.mark;
    found.second = here < found.first ? found.first : min(found.second, here);
    found.first = min(found.first, here);
}
void cell_row(uint x, uint y, uint z, vec3 away, inout Cells found) {
    cell(uvec3(x - 1664525u, y, z), vec3(away.x - 1.0, away.yz), found);
    cell(uvec3(x, y, z), away, found);
    cell(uvec3(x + 1664525u, y, z), vec3(away.x + 1.0, away.yz), found);
}
void cell_plane(uvec3 v, vec3 away, inout Cells found) {
    cell_row(v.x, v.y - 1664525u, v.z, vec3(away.x, away.y - 1.0, away.z), found);
    cell_row(v.x, v.y, v.z, away, found);
    cell_row(v.x, v.y + 1664525u, v.z, vec3(away.x, away.y + 1.0, away.z), found);
}
vec3 cells(vec3 p, uint seed) {
    vec3 low = floor(p), away = low - p;
    uvec3 v = (uvec3(ivec3(low)) + seed * 0x9E3779B9u) * 1664525u + 1013904223u;
    Cells found = Cells(64.0, 64.0, 0.0);
    cell_plane(uvec3(v.xy, v.z - 1664525u), vec3(away.xy, away.z - 1.0), found);
    cell_plane(v, away, found);
    cell_plane(uvec3(v.xy, v.z + 1664525u), vec3(away.xy, away.z + 1.0), found);
    return vec3(sqrt(found.first), sqrt(found.second), found.mark);
}

//! cubic
float cubic(float t, vec4 c) { return c.x + t * (c.y + t * (c.z + t * c.w)); }

//! fetch_manual
// Exact bilinear filtering of one level with repeat, decoding each texel before mixing.
vec3 srgb_to_linear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), greaterThan(c, vec3(0.04045))); }
// A texture has all its levels, down to one texel.
int levels_of(ivec2 size) { return int(floor(log2(float(max(size.x, size.y))) + 0.001)) + 1; }
vec4 fetch_texel(sampler2D map, ivec2 at, ivec2 size, bool is_color, int level) {
    ivec2 wrapped = ivec2(at - size * ivec2(floor(vec2(at) / vec2(size))));
    vec4 texel = texelFetch(map, wrapped, level);
    return is_color ? vec4(srgb_to_linear(texel.rgb), texel.a) : texel;
}
vec4 fetch_manual(sampler2D map, vec2 uv, bool is_color, int wanted) {
    int level = min(wanted, levels_of(textureSize(map, 0)) - 1);
    ivec2 size = textureSize(map, level);
    vec2 at = (uv - floor(uv)) * vec2(size) - 0.5;
    vec2 low = floor(at), t = at - low;
    ivec2 i = ivec2(low);
    vec4 a = fetch_texel(map, i, size, is_color, level), b = fetch_texel(map, i + ivec2(1, 0), size, is_color, level);
    vec4 c = fetch_texel(map, i + ivec2(0, 1), size, is_color, level), d = fetch_texel(map, i + ivec2(1, 1), size, is_color, level);
    vec4 top = a + (b - a) * t.x, bottom = c + (d - c) * t.x;
    return top + (bottom - top) * t.y;
}
//! fetch_manual_layer
// The same for a layer of an array.
vec4 fetch_layer_texel(sampler2DArray map, ivec2 at, ivec2 size, bool is_color, int layer, int level) {
    ivec2 wrapped = ivec2(at - size * ivec2(floor(vec2(at) / vec2(size))));
    vec4 texel = texelFetch(map, ivec3(wrapped, layer), level);
    return is_color ? vec4(srgb_to_linear(texel.rgb), texel.a) : texel;
}
vec4 fetch_manual_layer(sampler2DArray map, vec2 uv, bool is_color, int layer, int wanted) {
    int level = min(wanted, levels_of(textureSize(map, 0).xy) - 1);
    ivec2 size = textureSize(map, level).xy;
    vec2 at = (uv - floor(uv)) * vec2(size) - 0.5;
    vec2 low = floor(at), t = at - low;
    ivec2 i = ivec2(low);
    vec4 a = fetch_layer_texel(map, i, size, is_color, layer, level), b = fetch_layer_texel(map, i + ivec2(1, 0), size, is_color, layer, level);
    vec4 c = fetch_layer_texel(map, i + ivec2(0, 1), size, is_color, layer, level), d = fetch_layer_texel(map, i + ivec2(1, 1), size, is_color, layer, level);
    vec4 top = a + (b - a) * t.x, bottom = c + (d - c) * t.x;
    return top + (bottom - top) * t.y;
}
