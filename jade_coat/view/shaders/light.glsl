// Light on a surface: glTF 2.0 metallic-roughness (Appendix B), a sky, and one sun.

const float PI = 3.14159265;

layout(std140) uniform Light {  // one block, shared by every pass that lights
    vec4 irradiance[9];
    vec4 sun_direction;
    vec4 sun_radiance;
    mat4 to_shadow;
    vec4 depths_shape;  // the size of a texel of the sun's depth map and of the sky's, metres; how many ways to the sky;
                        // the size of a texel of the sun's second map, beside the first, 0 where there is none
    vec4 sky_rows[48];  // three rows of the matrix for each way
    mat4 to_far_shadow;
};
uniform sampler2DShadow sky_depths;  // four by four maps, a way each
uniform sampler2DShadow shadow;
uniform sampler2DArray reflections;
uniform sampler2D split_sum;

vec3 sky_irradiance(vec3 n) {  // Ramamoorthi & Hanrahan 2001
    vec3 e = irradiance[0].rgb * 0.282095;
    e += irradiance[1].rgb * 0.488603 * n.y + irradiance[2].rgb * 0.488603 * n.z + irradiance[3].rgb * 0.488603 * n.x;
    e += irradiance[4].rgb * 1.092548 * n.x * n.y + irradiance[5].rgb * 1.092548 * n.y * n.z;
    e += irradiance[6].rgb * 0.315392 * (3.0 * n.z * n.z - 1.0);
    e += irradiance[7].rgb * 1.092548 * n.x * n.z + irradiance[8].rgb * 0.546274 * (n.x * n.x - n.y * n.y);
    return max(e, 0.0);
}

vec2 octahedral(vec3 d) {
    d /= abs(d.x) + abs(d.y) + abs(d.z);
    vec2 p = d.xz;
    if (d.y < 0.0) p = (1.0 - abs(d.zx)) * vec2(d.x < 0.0 ? -1.0 : 1.0, d.z < 0.0 ? -1.0 : 1.0);
    return p * 0.5 + 0.5;
}

vec3 sky_reflection(vec3 r, float roughness) {
    float layer = roughness * 5.0;
    vec2 at = octahedral(r);
    vec3 sharper = texture(reflections, vec3(at, floor(layer))).rgb;
    return mix(sharper, texture(reflections, vec3(at, min(floor(layer) + 1.0, 5.0))).rgb, fract(layer));
}

struct Surface {
    vec3 base_color;
    vec3 normal;
    float roughness;
    float metallic;
    float occlusion;
    float specular;  // of KHR_materials_specular: what is no metal mirrors this much of 4 %
    float transmission;  // the share of diffuse light that comes from the other side
};

// Reflected sunlight over incident radiance times the cosine: D, V and F of Appendix B.
vec3 reflect_light(Surface s, vec3 v, vec3 l) {
    float alpha = max(s.roughness * s.roughness, 0.002);
    float a2 = alpha * alpha;
    vec3 h = normalize(v + l);
    float nl = max(dot(s.normal, l), 0.0), nv = max(dot(s.normal, v), 1e-4);
    float nh = max(dot(s.normal, h), 0.0), vh = max(dot(v, h), 0.0);
    float d = nh * nh * (a2 - 1.0) + 1.0;
    float distribution = a2 / (PI * d * d);
    float visibility = 0.5 / max(nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2), 1e-6);
    vec3 f0 = mix(vec3(0.04 * s.specular), s.base_color, s.metallic);
    float grazing = 1.0 - vh, squared = grazing * grazing;
    vec3 fresnel = f0 + (mix(s.specular, 1.0, s.metallic) - f0) * (squared * squared * grazing);
    vec3 diffuse = mix(s.base_color, vec3(0.0), s.metallic) * (1.0 - s.transmission) / PI;
    return ((1.0 - fresnel) * diffuse + fresnel * distribution * visibility) * nl;
}

// What shows through of light on the other side: a diffuse lobe there, as KHR_materials_diffuse_transmission has it.
vec3 let_through(Surface s, vec3 v, vec3 l) {
    float nv = max(dot(s.normal, v), 0.0), grazing = 1.0 - nv;
    float mirrored = 0.04 * s.specular + s.specular * 0.96 * pow(grazing, 5.0);
    return s.base_color * ((1.0 - s.metallic) * s.transmission * (1.0 - mirrored) / PI * max(-dot(s.normal, l), 0.0));
}

// How much of the sky a point sees, 0 to 1: of what lies before its surface, of what lights the land around, and of what
// it mirrors along r. Land is as bright as its share of the sky; a place half of whose sky is shut out by the thing
// itself still stands on open land.
vec3 sky_open(vec3 world, vec3 n, vec3 r, float roughness) {
    int ways = int(depths_shape.z);
    if (ways == 0) return vec3(1.0);
    vec3 near = world + n * (depths_shape.y * 1.5), beside = world + n * max(0.5, depths_shape.y * 1.5);
    vec2 seen = vec2(0.0), mirrored = vec2(0.0);
    float land = 0.0, sharp = mix(14.0, 2.0, roughness), from_below = 0.5 - 0.5 * n.y;
    for (int k = 0; k < ways; ++k) {
        vec4 x = sky_rows[3 * k], y = sky_rows[3 * k + 1], z = sky_rows[3 * k + 2];
        vec3 d = -normalize(z.xyz);
        float before = max(dot(n, d), 0.0), along = exp(sharp * (dot(r, d) - 1.0));
        vec3 p = vec3(dot(x.xyz, near) + x.w, dot(y.xyz, near) + y.w, dot(z.xyz, near) + z.w) * 0.5 + 0.5;
        vec3 q = vec3(dot(x.xyz, beside) + x.w, dot(y.xyz, beside) + y.w, dot(z.xyz, beside) + z.w) * 0.5 + 0.5;
        vec2 corner = vec2(float(k % 4), float(k / 4));
        float open = texture(sky_depths, vec3((corner + clamp(p.xy, 0.002, 0.998)) * 0.25, p.z - 0.001));
        seen += vec2(open, 1.0) * before;
        mirrored += vec2(open, 1.0) * along;
        land += texture(sky_depths, vec3((corner + clamp(q.xy, 0.002, 0.998)) * 0.25, q.z - 0.001));
    }
    float lit_land = min(2.0 * land / float(ways), 1.0);
    float above = seen.y > 0.0 ? seen.x / seen.y : 0.0;
    float ahead = mix(lit_land, mirrored.x / max(mirrored.y, 1e-9), smoothstep(-0.1, 0.1, r.y));
    return vec3(mix(above, lit_land, from_below), lit_land, ahead);
}

// How much of the sky a place in the air sees, by every fourth way.
float sky_share(vec3 world) {
    int ways = int(depths_shape.z);
    float open = 0.0;
    for (int k = 1; k < ways; k += 4) {
        vec4 x = sky_rows[3 * k], y = sky_rows[3 * k + 1], z = sky_rows[3 * k + 2];
        vec3 p = vec3(dot(x.xyz, world) + x.w, dot(y.xyz, world) + y.w, dot(z.xyz, world) + z.w) * 0.5 + 0.5;
        vec2 corner = vec2(float(k % 4), float(k / 4));
        open += texture(sky_depths, vec3((corner + clamp(p.xy, 0.002, 0.998)) * 0.25, p.z - 0.001));
    }
    return ways == 0 ? 1.0 : open * 4.0 / float(ways);
}

vec3 sky_light(Surface s, vec3 v, vec3 open) {
    vec3 mirror = reflect(-v, s.normal);
    float nv = clamp(dot(s.normal, v), 0.0, 1.0);
    vec3 f0 = mix(vec3(0.04 * s.specular), s.base_color, s.metallic);
    vec2 ab = texture(split_sum, vec2(nv, s.roughness)).rg;
    vec3 specular = f0 * ab.x + mix(s.specular, 1.0, s.metallic) * ab.y;
    vec3 diffuse = s.base_color * (1.0 - s.metallic) * (1.0 - specular);
    // Crevices see less sky than the mirror direction suggests (Lagarde 2014).
    float seen = clamp(pow(nv + s.occlusion, exp2(-16.0 * s.roughness - 1.0)) - 1.0 + s.occlusion, 0.0, 1.0);
    vec3 lit = sky_irradiance(s.normal) * (1.0 - s.transmission);
    if (s.transmission > 0.0) lit += sky_irradiance(-s.normal) * s.transmission;
    return diffuse * lit * s.occlusion * open.x
        + specular * sky_reflection(mirror, s.roughness) * seen * open.z;
}

uniform float exposure = 1.0;  // what light is multiplied by before it is shown

// Khronos PBR Neutral tone mapper, as published.
vec3 tone_map(vec3 color) {
    const float start = 0.8 - 0.04, desaturation = 0.15;
    float x = min(color.r, min(color.g, color.b));
    float offset = x < 0.08 ? x - 6.25 * x * x : 0.04;
    color -= offset;
    float peak = max(color.r, max(color.g, color.b));
    if (peak < start) return color;
    float d = 1.0 - start;
    float newPeak = 1.0 - d * d / (peak + d - start);
    color *= newPeak / peak;
    float g = 1.0 - 1.0 / (desaturation * (peak - newPeak) + 1.0);
    return mix(color, vec3(newPeak), g);
}

vec3 to_srgb(vec3 c) {
    c = clamp(c, 0.0, 1.0);
    return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, greaterThan(c, vec3(0.0031308)));
}

// The light that the tone map shows as a grey below its shoulder: its toe undone.
vec3 light_of_grey(vec3 shown) {
    vec3 c = mix(shown / 12.92, pow((shown + 0.055) / 1.055, vec3(2.4)), greaterThan(shown, vec3(0.04045)));
    return mix(sqrt(c / 6.25), c + 0.04, greaterThan(c, vec3(0.04)));
}

// Where a place is in the sun's first map, else in the second; z below 0 where it is in neither.
vec3 in_shadow_map(vec3 near, vec3 far) {
    bool two = depths_shape.w > 0.0;
    vec3 p = (to_shadow * vec4(near, 1.0)).xyz * 0.5 + 0.5;
    float margin = 2.0 / float(textureSize(shadow, 0).y);
    if (all(greaterThan(p, vec3(margin))) && all(lessThan(p, vec3(1.0 - margin))))
        return vec3(two ? p.x * 0.5 : p.x, p.yz);
    p = (to_far_shadow * vec4(far, 1.0)).xyz * 0.5 + 0.5;
    if (!two || any(lessThan(p, vec3(margin))) || any(greaterThan(p, vec3(1.0 - margin)))) return vec3(-1.0);
    return vec3(0.5 + p.x * 0.5, p.yz);
}

float sunlight(vec3 world, vec3 n) {
    vec3 p = in_shadow_map(world + n * depths_shape.x * 2.0, world + n * depths_shape.w * 2.0);
    if (p.z < 0.0) return 1.0;
    float lit = 0.0;
    vec2 texel = 1.0 / vec2(textureSize(shadow, 0));
    for (int y = -1; y <= 1; ++y)
        for (int x = -1; x <= 1; ++x) lit += texture(shadow, vec3(p.xy + vec2(x, y) * texel * 1.4, p.z - 0.0008));
    return lit / 9.0;
}

// Whether the sun sees a place in the air, by one place of its depth map.
float sun_reaches(vec3 world) {
    vec3 p = in_shadow_map(world, world);
    return p.z < 0.0 ? 1.0 : texture(shadow, vec3(p.xy, p.z - 0.0008));
}

// What a surface sends towards v of light that comes along l, over its radiance, and of the sky: see `standard.glsl`.
vec3 light_sent(Surface s, vec3 v, vec3 l);
vec3 sky_sent(Surface s, vec3 v, vec3 open);

// All light that a surface sends towards v: sky and sun. `open` is how much of the sky it sees.
vec3 surface_light(Surface s, vec3 v, vec3 world, vec3 open) {
    vec3 light = sky_sent(s, v, open), l = sun_direction.xyz, sent = light_sent(s, v, l);
    if (sent.r + sent.g + sent.b > 0.0)
        light += sent * sun_radiance.rgb * sunlight(world, dot(s.normal, l) > 0.0 ? s.normal : -s.normal);
    return light;
}
