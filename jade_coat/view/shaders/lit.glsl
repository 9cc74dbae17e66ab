// Shows a surface in the light.
uniform mat4 from_clip;
uniform vec3 eye;
vec3 shown() {
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, texture(depth, at).r * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    vec3 v = normalize(eye - world);
    Surface s = Surface(read_base_color(), read_normal(), read_roughness(), read_metallic(), read_occlusion(), read_specular(), read_transmission());
    vec3 light = surface_light(s, v, world, opened(distance(eye, world))) + read_emissive();
    return in_light ? light : to_srgb(tone_map(light * exposure));
}
