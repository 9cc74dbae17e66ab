// One colour, or how many vertices a brush reaches across: too few, just enough, plenty.
in float edge;
out vec4 color;

uniform vec4 plain;
uniform float radius;

void main() {
    if (radius <= 0.0) {
        color = plain;
        return;
    }
    float held = radius / max(edge, 1e-9);
    vec3 few = vec3(0.835, 0.369, 0.0), some = vec3(0.941, 0.894, 0.259), plenty = vec3(0.0, 0.62, 0.451);
    color = vec4(held < 2.0 ? mix(few, some, clamp(held - 1.0, 0.0, 1.0)) : mix(some, plenty, clamp((held - 2.0) / 2.0, 0.0, 1.0)), 0.6);
}
