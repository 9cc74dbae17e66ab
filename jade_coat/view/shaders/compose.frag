// Turns the G-buffer into the picture asked for: lit, or one of its quantities.
// Before this stand the attachments, and for each quantity `read_NAME()` and its display colour (view/passes/compose.py).
out vec4 picture;

uniform mat4 from_clip;
uniform vec3 eye;
uniform vec3 backdrop_top;
uniform vec3 backdrop_bottom;
uniform bool in_light;  // leave it as light, for what is laid over

vec3 lit() {
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, texture(depth, at).r * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    vec3 v = normalize(eye - world);
    Surface s = Surface(read_base_color(), read_normal(), read_roughness(), read_metallic(), read_occlusion());
    vec3 light = surface_light(s, v, world) + read_emissive();
    return in_light ? light : to_srgb(tone_map(light));
}

void main() {
    if (texture(finish, at).a < 0.5) {
        vec3 backdrop = mix(backdrop_bottom, backdrop_top, at.y);
        bool there = backdrop_top.x >= 0.0;
        picture = in_light ? (there ? vec4(light_of_grey(backdrop), 1.0) : vec4(0.0)) : vec4(backdrop, there ? 1.0 : 0.0);
        return;
    }
    picture = vec4(look == 0 ? lit() : looked_at(), 1.0);
}
