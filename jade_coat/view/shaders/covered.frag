// Lays down as depth what is covered by a surface, so that only there one is shown. The depths themselves can't be both
// read and compared.
uniform sampler2D depth;

void main() {
    gl_FragDepth = texelFetch(depth, ivec2(gl_FragCoord.xy), 0).r < 1.0 ? 0.0 : 1.0;
}
