// Which points of a surface that is cut are there.
uniform float cut;         // the threshold of opacity
uniform int noise_sample;  // another for each sample of a still picture

// Interleaved gradient noise (Jimenez 2014), 0 to 1; shifted from sample to sample.
float pixel_noise(vec2 at) {
    at += 5.588238 * float(noise_sample);
    return fract(52.9829189 * fract(dot(at, vec2(0.06711056, 0.00583715))));
}
