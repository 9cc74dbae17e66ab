// Which points of a surface that is cut are there.
uniform float cut;         // the threshold of opacity
uniform int noise_sample;  // another for each sample of a still picture

// Interleaved gradient noise (Jimenez 2014), 0 to 1; shifted from sample to sample. Each triangle and each step of depth
// has a pattern of its own, and goes through any sixteen samples in an order of its own: else layers would leave out the
// same points and never be seen through each other.
float pixel_noise(vec2 at) {
    int layer = gl_PrimitiveID * 37 + int(log2(1.0 / max(1.0 - gl_FragCoord.z, 1e-7)) * 256.0) * 53;
    int turn = (noise_sample & ~15) + ((noise_sample * (2 * (layer & 7) + 1)) & 15);
    at += 5.588238 * float(turn) + vec2(11.0, 17.0) * float(layer & 127);
    return fract(52.9829189 * fract(dot(at, vec2(0.06711056, 0.00583715))));
}
