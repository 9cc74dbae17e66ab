// How open the sky is at a pixel, as it was worked out before.
uniform sampler2D openness;  // of every second pixel, with how far away that is; see `open.frag`
uniform bool has_openness;

// How much of the sky a pixel sees: of the four places round it, those that are as far away count.
vec3 opened(float far) {
    if (!has_openness) return vec3(1.0);
    vec2 place = gl_FragCoord.xy * 0.5 - 0.5, share = fract(place);
    ivec2 corner = ivec2(floor(place)), last = textureSize(openness, 0) - 1;
    vec4 sum = vec4(0.0);
    for (int i = 0; i < 4; ++i) {
        ivec2 step = ivec2(i & 1, i >> 1);
        vec4 found = texelFetch(openness, clamp(corner + step, ivec2(0), last), 0);
        vec2 near = mix(1.0 - share, share, vec2(step)) + 0.05;
        float away = (found.a - far) / far * 40.0;
        sum += vec4(found.rgb, 1.0) * near.x * near.y / (1e-4 + away * away);
    }
    return sum.rgb / sum.a;
}
