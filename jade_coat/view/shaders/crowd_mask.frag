// Lays the number of the crowd that is seen at each pixel down as depth, so that each crowd is worked out there alone.
uniform usampler2D sighted;

void main() {
    gl_FragDepth = float(texelFetch(sighted, ivec2(gl_FragCoord.xy), 0).y >> 24) / 256.0;
}
