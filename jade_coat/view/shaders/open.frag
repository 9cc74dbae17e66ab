// How much of the sky is seen, at every second pixel along and down. After `light.glsl` and `sample.glsl`, and what reads
// attachments.
out vec4 open;
uniform mat4 from_clip;
uniform vec3 eye;
uniform vec2 whole;  // pixels of the picture

void main() {
    at = (floor(gl_FragCoord.xy) * 2.0 + 0.5 + vec2(noise_sample & 1, (noise_sample >> 1) & 1)) / whole;
    float here = texture(depth, at).r;
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, here * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w, n = read_normal(), v = normalize(eye - world);
    // The edges of sixteen shadows are lost in noise, which samples even out.
    float chance = pixel_noise(gl_FragCoord.xy), more = fract(chance * 7.0 + 0.5);
    vec3 shifted = world + (vec3(chance, more, fract(chance * 13.0)) * 2.0 - 1.0) * depths_shape.y * 0.9;
    open = vec4(here < 1.0 ? sky_open(shifted, n, reflect(-v, n), read_roughness()) : vec3(1.0), distance(world, eye));
}
