// Turns the G-buffer into the picture asked for: lit, or one of its quantities.
in vec2 at;
out vec4 picture;

uniform sampler2D base;      // square root of linear colour, occlusion
uniform sampler2D shape;     // world normal, height
uniform sampler2D finish;    // roughness, metallic, 0, covered
uniform sampler2D extra;     // emissive
uniform sampler2D paint;     // vertex paint
uniform sampler2D wheres;    // up to four outputs of the material by name
uniform sampler2D coverage;  // coats by colour, sRGB
uniform sampler2D depth;
uniform sampler2DShadow shadow;
uniform mat4 from_clip;
uniform mat4 to_shadow;
uniform vec3 eye;
uniform int look;
uniform int channel;
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

vec3 lit(vec4 a, vec4 b, vec4 c, vec3 emissive, float z) {
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, z * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    vec3 v = normalize(eye - world);
    Surface s = Surface(a.rgb * a.rgb, normalize(b.xyz), c.r, c.g, a.a);
    vec3 light = sky_light(s, v) + emissive;
    float facing = dot(s.normal, sun_direction.xyz);
    if (facing > 0.0) light += reflect_light(s, v, sun_direction.xyz) * sun_radiance.rgb * sunlight(world, s.normal) * mix(a.a, 1.0, 0.5);
    return to_srgb(tone_map(light));
}

void main() {
    vec4 c = texture(finish, at);
    if (c.a < 0.5) {
        picture = vec4(mix(backdrop_bottom, backdrop_top, at.y), backdrop_top.x < 0.0 ? 0.0 : 1.0);
        return;
    }
    vec4 a = texture(base, at), b = texture(shape, at), e = texture(extra, at);
    vec3 color;
    if (look == 0) color = lit(a, b, c, e.rgb, texture(depth, at).r);
    else if (look == 1) color = to_srgb(a.rgb * a.rgb);
    else if (look == 2) color = vec3(c.r);
    else if (look == 3) color = vec3(c.g);
    else if (look == 4) color = normalize(b.xyz) * 0.5 + 0.5;
    else if (look == 5) color = vec3(b.w);
    else if (look == 6) color = vec3(a.a);
    else if (look == 7) color = texture(coverage, at).rgb;
    else if (look == 8) color = vec3(texture(paint, at)[channel]);
    else color = vec3(texture(wheres, at)[channel]);
    picture = vec4(color, 1.0);
}
