// Slanted stripes that no material has: the look of props whose program failed.
in vec3 world_normal;

void main() {
    nothing();
    float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 22.0));
    base = vec4(sqrt(mix(vec3(0.62, 0.05, 0.30), vec3(0.95, 0.86, 0.25), stripe)), 1.0);
    shape = vec4(normalize(world_normal), 0.5);
    finish = vec4(0.9, 0.0, 1.0, 0.0);
    extra = vec4(0.0, 0.0, 0.0, 1.0);
}
