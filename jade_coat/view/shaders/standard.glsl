// What a surface of glTF's metallic-roughness sends towards v.
vec3 light_sent(Surface s, vec3 v, vec3 l) {
    if (dot(s.normal, l) > 0.0) return reflect_light(s, v, l) * mix(s.occlusion, 1.0, 0.5);
    return s.transmission > 0.0 ? let_through(s, v, l) : vec3(0.0);
}

vec3 sky_sent(Surface s, vec3 v, vec3 open) { return sky_light(s, v, open); }
