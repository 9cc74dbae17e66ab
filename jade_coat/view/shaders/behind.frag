// Keeps the depths of all that does not blend, to be read while they are tested against.
uniform sampler2D depth;
out float kept;

void main() { kept = texelFetch(depth, ivec2(gl_FragCoord.xy), 0).x; }
