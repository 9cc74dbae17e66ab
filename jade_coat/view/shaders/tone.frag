// From light to what a screen shows, once all that blends has been laid over.
in vec2 at;
out vec4 picture;

uniform sampler2D radiance;  // premultiplied by its alpha

void main() {
    vec4 found = texture(radiance, at);
    found.rgb *= exposure;
    float brightest = max(found.r, max(found.g, found.b));
    float alpha = max(found.a, min(brightest, 1.0));  // what only adds light is there too
    picture = vec4(to_srgb(tone_map(found.rgb / max(alpha, 1e-4))), alpha);
}
