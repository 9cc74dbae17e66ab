// Light cut in two: mix(base * shade, base, T) * line + gloss * area, T the threshold (common practice, no source).
// The outputs of the program stand before it, and `lamps.glsl`.
#define OWN_LIGHT
vec4 tone_shade;  // the shade, and how much it multiplies the colour
vec4 tone_deep;   // what multiplies it once more, and from where on
vec4 tone_push;   // where light ends less the bias, softness, what is painted into the shade, the most shade there is
vec4 tone_gloss;  // colour and size
vec4 tone_line;   // lines (1 is none), area of the gloss, how much cast shadows count, the bias
vec4 tone_ink;    // the colour of lines, over that of the surface, and how much the second ramp is used
uniform int tone_link = 0;  // which link of the chain is shown; 0 is the whole

// How much of the lit tone there is by the cosine of the light, before anything pushes it.
float tone_cut(float cosine, float at) { return smoothstep(at - tone_push.y, at + tone_push.y, cosine); }

float tone_lit(float cosine, float sees) {
    float lit = tone_cut(cosine - tone_push.z, tone_push.x);
    lit *= mix(1.0, smoothstep(0.35, 0.65, sees), tone_line.z);
    return 1.0 - (1.0 - lit) * tone_push.w;
}

#ifdef RAMPS
// How much light there is, 0 to 1: a half where the two tones would part.
float tone_reach(float cosine, float sees) {
    float reach = clamp(0.5 + 0.5 * (cosine - tone_push.z - tone_push.x), 0.0, 1.0) * mix(1.0, sees, tone_line.z);
    return 1.0 - (1.0 - reach) * tone_push.w;
}

vec3 tone_ramp(float x) { return mix(tone_ramp_a(x), tone_ramp_b(x), tone_ink.a); }
#endif

vec3 tone_shaded(vec3 base, float cosine) {
    vec3 shade = mix(vec3(1.0), base, tone_shade.a) * tone_shade.rgb;
    return shade * mix(tone_deep.rgb, vec3(1.0), smoothstep(tone_deep.a - tone_push.y, tone_deep.a + tone_push.y, cosine - tone_push.z));
}

float tone_glint(vec3 n, vec3 v, vec3 l) {
    float size = tone_gloss.a, at = 1.0 - size * size * 0.5;
    return smoothstep(at - size * size * 0.1 - 1e-4, at + 1e-4, dot(n, normalize(v + l)));
}

vec3 light_sent(Surface s, vec3 v, vec3 l) { return vec3(0.0); }
vec3 sky_sent(Surface s, vec3 v, vec3 open) { return vec3(0.0); }

vec3 tone_value(float x) { return light_of_grey(vec3(clamp(x, 0.0, 1.0))) / exposure; }

// What shines on a page: sun and sky as on level ground, the same all over a thing.
vec3 page_light(float open) {
    return sun_radiance.rgb / PI * max(sun_direction.y, 0.25) + sky_irradiance(vec3(0.0, 1.0, 0.0)) * open;
}

vec3 own_light(Surface s, vec3 v, vec3 world, vec3 open) {
    vec3 l = sun_direction.xyz, base = s.base_color, n = s.normal;
    float cosine = dot(n, l), sees = sunlight(world, n);
    vec3 page = page_light(open.y);
    float lit = tone_lit(cosine, sees), glint = tone_glint(n, v, l) * lit;
    vec3 shade = tone_shaded(base, cosine);
    if (tone_link == 1) return base * page;
    if (tone_link == 2) return mix(vec3(1.0), base, tone_shade.a) * tone_shade.rgb * page;
    if (tone_link == 3) return tone_value(tone_cut(cosine, tone_push.x + tone_line.w));
    if (tone_link == 4) return tone_value(tone_cut(cosine - tone_push.z, tone_push.x + tone_line.w));
    if (tone_link == 5) return tone_value(lit);
    if (tone_link == 6) return tone_value(tone_line.x);
    if (tone_link == 7) return tone_value(tone_line.y);
    if (tone_link == 8) return tone_value(glint * tone_line.y);
    vec3 toned = mix(shade, base, lit);
#ifdef RAMPS
    if (tone_link == 9) return tone_ramp(tone_reach(cosine, sees)) * page;
    toned = base * tone_ramp(tone_reach(cosine, sees));
#endif
    vec3 line = mix(tone_ink.rgb, vec3(1.0), tone_line.x);
    vec3 light = toned * line * page + tone_gloss.rgb * glint * tone_line.y * page;
    for (int i = 0; i < lamp_count; ++i) {
        vec3 arrives = lamp_arrives(i, world, l);
        if (arrives.r + arrives.g + arrives.b <= 0.0) continue;
        float by_lamp = tone_lit(dot(n, l), lamp_sees(i, world, n, false));
        light += (base * line + tone_gloss.rgb * tone_glint(n, v, l) * tone_line.y) * by_lamp * arrives / PI;
    }
    return light;
}
