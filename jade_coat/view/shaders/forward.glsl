// The light of what is laid over the picture, and the mist before it. After `light.glsl`, `lamps.glsl` and `mist.glsl`.
in vec3 pixel_world;
uniform vec3 shared_eye;

vec3 light_here(Surface s) {
    vec3 v = normalize(shared_eye - pixel_world);
#ifdef OPENED
    vec3 open = opened(distance(shared_eye, pixel_world));
#else
    vec3 open = sky_open(pixel_world, s.normal, reflect(-v, s.normal), s.roughness);
#endif
#ifdef OWN_LIGHT
    return own_light(s, v, pixel_world, open);
#else
    return surface_light(s, v, pixel_world, open) + lamp_light(s, v, pixel_world);
#endif
}

vec4 mist_here() { return mist_between(shared_eye, pixel_world, 0.5); }
