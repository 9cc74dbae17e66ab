// Turns the G-buffer into the picture asked for: lit, or one of its quantities.
// Before this stand the attachments, and for each quantity `read_NAME()` and its display colour (view/passes/compose.py).
out vec4 picture;

uniform sampler2DShadow shadow;
uniform mat4 from_clip;
uniform mat4 to_shadow;
uniform vec3 eye;
uniform vec3 backdrop_top;
uniform vec3 backdrop_bottom;
uniform float shadow_texel;

float sunlight(vec3 world, vec3 n) {
    vec4 s = to_shadow * vec4(world + n * shadow_texel * 2.0, 1.0);
    vec3 p = s.xyz * 0.5 + 0.5;
    if (any(lessThan(p, vec3(0.0))) || any(greaterThan(p, vec3(1.0)))) return 1.0;
    float lit = 0.0, texel = 1.0 / float(textureSize(shadow, 0).x);
    for (int y = -1; y <= 1; ++y)
        for (int x = -1; x <= 1; ++x) lit += texture(shadow, vec3(p.xy + vec2(x, y) * texel * 1.4, p.z - 0.0008));
    return lit / 9.0;
}

vec3 lit() {
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, texture(depth, at).r * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    vec3 v = normalize(eye - world);
    Surface s = Surface(read_base_color(), read_normal(), read_roughness(), read_metallic(), read_occlusion());
    vec3 light = sky_light(s, v) + read_emissive();
    float facing = dot(s.normal, sun_direction.xyz);
    if (facing > 0.0) light += reflect_light(s, v, sun_direction.xyz) * sun_radiance.rgb * sunlight(world, s.normal) * mix(s.occlusion, 1.0, 0.5);
    return to_srgb(tone_map(light));
}

void main() {
    if (texture(finish, at).a < 0.5) {
        picture = vec4(mix(backdrop_bottom, backdrop_top, at.y), backdrop_top.x < 0.0 ? 0.0 : 1.0);
        return;
    }
    picture = vec4(look == 0 ? lit() : looked_at(), 1.0);
}
