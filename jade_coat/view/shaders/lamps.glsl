// Lamps, with the falloff of KHR_lights_punctual, and their shadows. After `light.glsl`.
uniform vec4 lamp_place[4];   // position, reach
uniform vec4 lamp_shine[4];   // intensity, and the distance up to which nothing throws a shadow
uniform vec4 lamp_axis[4];    // which way a spot shines, and the cosine where it ends; -2 for one that shines all round
uniform vec4 lamp_across[4];  // across that, and one over the difference of its cosines
uniform vec4 lamp_map[4];     // number of its first face or -1, the size of a face, tangent of half its angle or 0, radius of its glow
uniform int lamp_count;
uniform sampler2DShadow lamp_depths;

// Whether a lamp sees a point, 0 to 1: the mean of four places of its depth map round the point, or one there alone.
float lamp_sees(int i, vec3 world, vec3 n, bool once) {
    vec4 map = lamp_map[i];
    if (map.x < 0.0) return 1.0;
    float tangent = map.z > 0.0 ? map.z : 1.0;
    float texel = 2.0 * tangent / (map.y * float(textureSize(lamp_depths, 0).x));
    vec3 p = world - lamp_place[i].xyz;
    p += n * (texel * 1.6 * length(p) + 0.002);  // a texel covers this much of what is lit
    vec2 at;
    float ahead, face = 0.0;
    if (map.z > 0.0) {
        vec3 axis = lamp_axis[i].xyz, right = lamp_across[i].xyz;
        ahead = dot(p, axis);
        at = vec2(dot(p, right), dot(p, cross(right, axis))) / (max(ahead, 1e-4) * tangent);
    } else {
        vec3 far = abs(p);
        int axis = far.x >= far.y && far.x >= far.z ? 0 : far.y >= far.z ? 1 : 2;
        vec3 turned = axis == 0 ? p.yzx : axis == 1 ? p.zxy : p;
        ahead = abs(turned.z);
        bool ends = turned.z > 0.0;
        at = vec2(ends ? -turned.x : turned.x, turned.y) / max(ahead, 1e-4);
        face = float(2 * axis + (ends ? 0 : 1));
    }
    float near = lamp_shine[i].w, reach = max(lamp_place[i].w, near * 1.1);
    float z = ahead * 0.9985;
    float depth = ((reach + near) / (reach - near) - 2.0 * reach * near / ((reach - near) * max(z, near))) * 0.5 + 0.5;
    float across = floor(1.0 / map.y + 0.5), number = map.x + face;
    vec2 corner = vec2(mod(number, across), floor(number / across));
    float half_texel = texel / (4.0 * tangent);
    vec2 place = at * 0.5 + 0.5, least = vec2(half_texel), most = vec2(1.0 - half_texel);
    if (once) return texture(lamp_depths, vec3((corner + clamp(place, least, most)) * map.y, depth));
    // What is larger throws a softer shadow; four places hold no more than a few texels.
    float spread = clamp(0.6 * lamp_map[i].w / max(ahead * tangent * 2.0, 1e-3), 1.5 * half_texel, 4.0 * half_texel);
    float lit = 0.0;
    for (int k = 0; k < 4; ++k) {
        vec2 beside = vec2(k & 1, k >> 1) * 2.0 - 1.0;
        vec2 found = clamp(place + vec2(beside.x + 0.35 * beside.y, beside.y - 0.35 * beside.x) * spread, least, most);
        lit += texture(lamp_depths, vec3((corner + found) * map.y, depth));
    }
    return lit * 0.25;
}

// What arrives of a lamp at a point, before it is shut out.
vec3 lamp_arrives(int i, vec3 world, out vec3 l) {
    vec3 way = lamp_place[i].xyz - world;
    float far = max(length(way), 1e-4);
    l = way / far;
    float share = far / lamp_place[i].w, window = clamp(1.0 - share * share * share * share, 0.0, 1.0);
    float fall = window / max(far * far, 1e-4);
    float ramp = clamp((dot(-l, lamp_axis[i].xyz) - lamp_axis[i].w) * lamp_across[i].w, 0.0, 1.0);
    return lamp_shine[i].rgb * fall * ramp * ramp;
}

vec3 lamp_light(Surface s, vec3 v, vec3 world) {
    vec3 light = vec3(0.0), l;
    for (int i = 0; i < lamp_count; ++i) {
        vec3 arrives = lamp_arrives(i, world, l);
        if (arrives.r + arrives.g + arrives.b <= 0.0) continue;
        vec3 sent = light_sent(s, v, l);
        bool behind = dot(s.normal, l) <= 0.0;
        if (sent.r + sent.g + sent.b > 0.0) light += sent * arrives * lamp_sees(i, world, behind ? -s.normal : s.normal, behind);
    }
    return light;
}
