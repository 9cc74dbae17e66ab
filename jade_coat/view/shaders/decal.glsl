// Where a box_pixel of the picture lies in the box of a decal, and what is handed to its program there. Before this stand the
// attachments as they were (view/passes/compose.py).
uniform mat4 from_clip;
uniform mat4 to_box;       // from the world to the unit cube round the origin
uniform mat3 box_turn;     // the box's own axes in the world, unit
uniform vec3 box_size;     // metres
uniform vec4 box_cell;         // where the picture begins in the atlas, and how large it is
uniform vec4 box_shows;        // cosines: from which it box_shows, from which fully; the share of depth it fades over; metres away
uniform vec2 box_far;     // metres from which it fades, and from which it is gone; 0 for never
uniform float box_shares[5];   // colour, normal, surface, height, glow
uniform float box_seed;
uniform int box_row;
uniform vec3 box_eye;
uniform vec2 box_pixel;        // the size of a box_pixel where the picture reaches from 0 to 1
uniform bool box_chooses;
uniform sampler2D box_receivers;

vec3 box_unprojected(vec2 place, float far) {
    vec4 clip = from_clip * vec4(place * 2.0 - 1.0, far * 2.0 - 1.0, 1.0);
    return clip.xyz / clip.w;
}

// Where the ray through a box_pixel meets the plane of a surface: its neighbour on that surface, whatever lies box_beside it.
vec3 box_beside(vec2 place, vec3 world, vec3 normal) {
    vec3 way = box_unprojected(place, 0.5) - box_eye;
    float slant = dot(way, normal);
    return abs(slant) < 1e-5 ? world : box_eye + way * (dot(world - box_eye, normal) / slant);
}

vec3 in_box(vec3 world) { return (to_box * vec4(world, 1.0)).xyz; }

vec2 box_picture(vec3 local) { return box_cell.xy + clamp(local.xz + 0.5, 0.0, 1.0) * box_cell.zw; }
