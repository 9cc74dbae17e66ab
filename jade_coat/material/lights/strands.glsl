// What fibres send towards v: spread along them as Kajiya & Kay (1989) have it, with two highlights, each shifted along
// the fibre, as Scheuermann (2004) draws what Marschner et al. (2003) found. The outputs of the program stand before it.
vec3 strand_way;    // from root to tip
vec4 strand_skin;   // the first highlight: the share it mirrors, and how sharp it is
vec4 strand_core;   // the second, coloured by the fibre
vec4 strand_shape;  // how far both are shifted, radians; how far round soft light reaches; what comes from behind

// One highlight over its share: the sine to the half vector to a power, which as a ring about the fibre comes to no
// more than 1 over all directions; behind the fibre it fades.
float strand_lobe(vec3 t, vec3 h, float sharpness) {
    float along = dot(t, h), across = sqrt(max(1.0 - along * along, 0.0));
    return smoothstep(-1.0, 0.0, along) * pow(across, sharpness) * sqrt(sharpness) * 0.0317;
}

vec3 strand_shifted(vec3 n, float by) { return normalize(strand_way + n * tan(by)); }

float strand_left() {  // what neither highlight nor what shows through has taken
    vec3 taken = strand_skin.rgb + strand_core.rgb;
    return max(1.0 - max(taken.r, max(taken.g, taken.b)) - strand_shape.w, 0.0);
}

vec3 light_sent(Surface s, vec3 v, vec3 l) {
    float nl = dot(s.normal, l), wrap = strand_shape.z, tl = dot(strand_way, l);
    float reached = clamp(wrap + (1.0 - wrap) * nl, 0.0, 1.0), open = mix(s.occlusion, 1.0, 0.5);
    vec3 soft = s.base_color * (reached * (1.0 - wrap) * sqrt(max(1.0 - tl * tl, 0.0)) / PI * strand_left());
    vec3 h = normalize(v + l);
    vec3 sharp = strand_skin.rgb * strand_lobe(strand_shifted(s.normal, strand_shape.x), h, strand_skin.a)
        + strand_core.rgb * s.base_color * strand_lobe(strand_shifted(s.normal, strand_shape.y), h, strand_core.a);
    float ahead = clamp(-dot(v, l), 0.0, 1.0), narrow = ahead * ahead * ahead;
    vec3 behind = s.base_color * (strand_shape.w * narrow * narrow * 7.0 / (2.0 * PI));
    return (soft + sharp * smoothstep(-0.1, 0.3, nl)) * open + behind;
}

vec3 sky_sent(Surface s, vec3 v, vec3 open) {
    vec3 facing = v - strand_way * dot(v, strand_way);  // of the ring of normals round a fibre, the one towards v
    facing = normalize(facing + s.normal * 1e-3);
    vec3 mirror = reflect(-v, normalize(mix(facing, s.normal, 0.5)));
    float blur = clamp(pow(2.0 / (strand_skin.a + 2.0), 0.25), 0.0, 1.0);
    vec3 sharp = (strand_skin.rgb + strand_core.rgb * s.base_color) * sky_reflection(mirror, blur) * (s.occlusion * open.z * 0.5);
    vec3 soft = s.base_color * strand_left() * sky_irradiance(s.normal);
    vec3 behind = s.base_color * strand_shape.w * sky_irradiance(-s.normal);
    return (soft + behind) * s.occlusion * open.x + sharp;
}
