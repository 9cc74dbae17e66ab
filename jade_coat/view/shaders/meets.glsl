// How a glow meets what is behind it, and the mist before it. After `forward.glsl`.
uniform sampler2D depth_behind;
uniform mat4 from_clip_behind;

// What is left of a glow: `meets.x` metres before other things it begins to fade, `meets.y` is how far mist veils it.
float meeting(vec2 meets, float veil) {
    float left = mix(1.0, veil, meets.y);
    if (meets.x > 0.0) {
        ivec2 pixel = ivec2(gl_FragCoord.xy);
        vec2 at = gl_FragCoord.xy / vec2(textureSize(depth_behind, 0)) * 2.0 - 1.0;
        vec4 behind = from_clip_behind * vec4(at, texelFetch(depth_behind, pixel, 0).x * 2.0 - 1.0, 1.0);
        float beyond = distance(shared_eye, behind.xyz / behind.w) - distance(shared_eye, pixel_world);
        left *= clamp(beyond / meets.x, 0.0, 1.0);
    }
    return left;
}
