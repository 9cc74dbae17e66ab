// What is shown where there is no surface: after `light.glsl`.
in vec2 at;
out vec4 picture;
uniform bool in_light;  // leave it as light, for what is laid over
uniform vec3 backdrop_top;
uniform vec3 backdrop_bottom;

void main() {
    vec3 backdrop = mix(backdrop_bottom, backdrop_top, at.y);
    bool there = backdrop_top.x >= 0.0;
    picture = in_light ? (there ? vec4(light_of_grey(backdrop) / exposure, 1.0) : vec4(0.0)) : vec4(backdrop, there ? 1.0 : 0.0);
}
