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
// Perlin 2002: quintic fade, gradients from a hash.
float noise_corner(uvec3 base, vec3 frac, uvec3 offset, uint seed) {
    vec3 gradient = vec3(pcg3d(base + offset + seed * 0x9E3779B9u) >> 8u) * 1.1920929e-07 - 1.0;
    vec3 away = frac - vec3(offset);
    return gradient.x * away.x + gradient.y * away.y + gradient.z * away.z;
}
float noise_edge(uvec3 base, vec3 frac, uint y, uint z, float u, uint seed) {
    float a = noise_corner(base, frac, uvec3(0u, y, z), seed);
    float b = noise_corner(base, frac, uvec3(1u, y, z), seed);
    return a + (b - a) * u;
}
float gradient_noise(vec3 p, uint seed) {
    vec3 low = floor(p);
    vec3 frac = p - low;
    uvec3 base = uvec3(ivec3(low));
    vec3 fade = frac * frac * frac * (frac * (frac * 6.0 - 15.0) + 10.0);
    float near = noise_edge(base, frac, 0u, 0u, fade.x, seed);
    near = near + (noise_edge(base, frac, 1u, 0u, fade.x, seed) - near) * fade.y;
    float far = noise_edge(base, frac, 0u, 1u, fade.x, seed);
    far = far + (noise_edge(base, frac, 1u, 1u, fade.x, seed) - far) * fade.y;
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

//! cubic
float cubic(float t, vec4 c) { return c.x + t * (c.y + t * (c.z + t * c.w)); }

//! fetch_manual
// Exact bilinear filtering of level 0 with repeat, decoding each texel before mixing.
vec3 srgb_to_linear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), greaterThan(c, vec3(0.04045))); }
vec4 fetch_texel(sampler2D map, ivec2 at, ivec2 size, bool is_color) {
    ivec2 wrapped = ivec2(at - size * ivec2(floor(vec2(at) / vec2(size))));
    vec4 texel = texelFetch(map, wrapped, 0);
    return is_color ? vec4(srgb_to_linear(texel.rgb), texel.a) : texel;
}
vec4 fetch_manual(sampler2D map, vec2 uv, bool is_color) {
    ivec2 size = textureSize(map, 0);
    vec2 at = (uv - floor(uv)) * vec2(size) - 0.5;
    vec2 low = floor(at), t = at - low;
    ivec2 i = ivec2(low);
    vec4 a = fetch_texel(map, i, size, is_color), b = fetch_texel(map, i + ivec2(1, 0), size, is_color);
    vec4 c = fetch_texel(map, i + ivec2(0, 1), size, is_color), d = fetch_texel(map, i + ivec2(1, 1), size, is_color);
    vec4 top = a + (b - a) * t.x, bottom = c + (d - c) * t.x;
    return top + (bottom - top) * t.y;
}
