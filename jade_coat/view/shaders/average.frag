// The mean of the samples summed so far.
in vec2 at;
out vec4 picture;

uniform sampler2D total;
uniform float samples;

void main() { picture = texture(total, at) / samples; }
