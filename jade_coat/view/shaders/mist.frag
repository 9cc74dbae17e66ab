// Lays mist over what is lit. After `mist.glsl` and `sample.glsl`.
in vec2 at;
out vec4 picture;
uniform sampler2D depth;
uniform mat4 from_clip;
uniform vec3 eye;

void main() {
    float here = texture(depth, at).r;
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, here * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    if (here >= 1.0) world = eye + normalize(world - eye) * 400.0;
    picture = mist_between(eye, world, pixel_noise(gl_FragCoord.xy));
}
