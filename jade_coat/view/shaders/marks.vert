// A mesh once more, to mark its edges and vertices over the picture.
in vec3 in_position;
in float in_edge;

uniform mat4 to_clip;
uniform float nearer;
uniform float dot_size;
out float edge;

void main() {
    edge = in_edge;
    gl_Position = to_clip * vec4(in_position, 1.0);
    gl_Position.z -= nearer * gl_Position.w;
    gl_PointSize = dot_size;
}
