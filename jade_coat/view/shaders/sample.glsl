// Which points of a surface that is cut are there.
uniform float cut;         // the threshold of opacity
uniform int noise_sample;  // another for each sample of a still picture

#ifndef TRIANGLE
#define TRIANGLE gl_PrimitiveID  // the number of the triangle
#endif

// Interleaved gradient noise (Jimenez 2014), 0 to 1; shifted from sample to sample. Each triangle and each step of depth
// has a pattern of its own, and goes through any sixteen samples in an order of its own: else layers would leave out the
// same points and never be seen through each other.
float pixel_noise(vec2 at) {
    int layer = TRIANGLE * 37 + int(log2(1.0 / max(1.0 - gl_FragCoord.z, 1e-7)) * 256.0) * 53;
    int turn = (noise_sample & ~15) + ((noise_sample * (2 * (layer & 7) + 1)) & 15);
    at += 5.588238 * float(turn) + vec2(11.0, 17.0) * float(layer & 127);
    return fract(52.9829189 * fract(dot(at, vec2(0.06711056, 0.00583715))));
}

// The same for an instance as a whole: all its surfaces leave the same points out, and what is behind it is seen there.
float instance_noise(vec2 at, uint instance) {
    at += 5.588238 * float((noise_sample + int(instance & 63u) * 7) & 63);
    return fract(52.9829189 * fract(dot(at, vec2(0.06711056, 0.00583715))));
}

// The threshold of an ordered grid of eight by eight (Bayer 1973), 1/128 to 127/128; shifted from sample to sample.
float ordered(vec2 at) {
    int n = noise_sample;  // four samples are shifted over every square of four points, sixteen over every one of sixteen
    ivec2 even = ivec2(n & 1 | n >> 1 & 2 | n >> 2 & 4, n >> 1 & 1 | n >> 2 & 2 | n >> 3 & 4);
    ivec2 cell = ivec2(at) + even;
    int value = 0;
    for (int bit = 0; bit < 3; bit++) {
        int x = (cell.x >> bit) & 1, y = (cell.y >> bit) & 1;
        value |= ((x ^ y) << 1 | y) << (2 * (2 - bit));
    }
    return (float(value) + 0.5) / 64.0;
}

// The threshold of a pattern: `pattern.x` is which (see `material/dither.py`), `pattern.y` the chance at a point.
float dithered(vec2 pattern, vec2 at) {
    if (pattern.x > 1.5) return fract(pattern.y + 0.618034 * float(noise_sample));
    return pattern.x > 0.5 ? ordered(at) : pixel_noise(at);
}
