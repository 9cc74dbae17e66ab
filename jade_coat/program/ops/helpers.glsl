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
float noise_corner(uint state, vec3 away) {
    uint word = ((state >> ((state >> 28u) + 4u)) ^ state) * 277803737u;
    ivec3 h = ivec3(uvec3((word >> 22u) ^ word) >> uvec3(21u, 10u, 0u)) & ivec3(0x7FF, 0x7FF, 0x3FF);
    vec3 gradient = vec3(h) * vec3(9.765625e-04, 9.765625e-04, 1.953125e-03) - 1.0;
    return gradient.x * away.x + gradient.y * away.y + gradient.z * away.z;
}
float noise_edge(uint state, vec3 away, float u) {
    float a = noise_corner(state, away);
    float b = noise_corner(state + noise_axes.x, vec3(away.x - 1.0, away.yz));
    return a + (b - a) * u;
}
float gradient_noise(vec3 p, uint seed) {
    vec3 low = floor(p);
    vec3 f = p - low;
    uvec3 n = uvec3(ivec3(low)) * noise_axes;
    uint here = n.x + n.y + n.z + seed * 0x9E3779B9u;
    uint up = here + noise_axes.z;
    vec3 fade = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    float near = noise_edge(here, f, fade.x);
    near = near + (noise_edge(here + noise_axes.y, vec3(f.x, f.y - 1.0, f.z), fade.x) - near) * fade.y;
    float far = noise_edge(up, vec3(f.xy, f.z - 1.0), fade.x);
    far = far + (noise_edge(up + noise_axes.y, vec3(f.x, f.y - 1.0, f.z - 1.0), fade.x) - far) * fade.y;
    return near + (far - near) * fade.z;
}

//! fbm
float fbm(vec3 p, int octaves, uint seed) {
    float total = 0.0, weight = 1.0, norm = 0.0;
    for (int i = 0; i < octaves; ++i) {
        total += gradient_noise(p, seed + uint(i)) * weight;
        norm += weight;
        weight *= 0.5;
        p *= 2.0;
    }
    return total / norm;
}

//! ridges
float ridges(vec3 p, int octaves, uint seed) {
    float total = 0.0, weight = 1.0, norm = 0.0;
    for (int i = 0; i < octaves; ++i) {
        total += (1.0 - abs(gradient_noise(p, seed + uint(i)))) * weight;
        norm += weight;
        weight *= 0.5;
        p *= 2.0;
    }
    return total / norm;
}

//! cells
// Worley 1996: one random point a cell.
vec3 cells(vec3 p, uint seed) {
    vec3 low = floor(p), f = p - low;
    float first = 64.0, second = 64.0, mark = 0.0;
    for (int k = -1; k <= 1; ++k)
        for (int j = -1; j <= 1; ++j)
            for (int i = -1; i <= 1; ++i) {
                vec3 at = vec3(pcg3d(uvec3(ivec3(low) + ivec3(i, j, k)) + seed * 0x9E3779B9u) >> 8u) * 5.96046448e-08;
                vec3 d = at + vec3(i, j, k) - f;
                float away = d.x * d.x + d.y * d.y + d.z * d.z;
                if (away < first) { second = first; first = away; mark = at.x; }
                else second = min(second, away);
            }
    return vec3(sqrt(first), sqrt(second), mark);
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
