// What lamps add to a surface.
out vec4 picture;
uniform mat4 from_clip;
uniform vec3 eye;

void main() {
    vec4 clip = from_clip * vec4(at * 2.0 - 1.0, texture(depth, at).r * 2.0 - 1.0, 1.0);
    vec3 world = clip.xyz / clip.w;
    Surface s = Surface(read_base_color(), read_normal(), read_roughness(), read_metallic(), read_occlusion(), read_specular(), read_transmission());
    picture = vec4(lamp_light(s, normalize(eye - world), world), 0.0);
}
