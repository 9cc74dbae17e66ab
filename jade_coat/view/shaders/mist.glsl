// Mist that thins with height, in boxes or everywhere. After `light.glsl` and `lamps.glsl`.
uniform vec4 mist_rows[24];   // three rows of the matrix to the unit cube for each; all 0 for mist that is everywhere
uniform vec4 mist_shape[8];   // floor, 1 / the height it thins by, density there, 0
uniform vec4 mist_color[8];
uniform int mist_count;
const int MIST_STEPS = 5;

// From where to where along a way mist lies, in units of the way.
vec2 mist_reaches(int i, vec3 from, vec3 way) {
    vec4 x = mist_rows[3 * i], y = mist_rows[3 * i + 1], z = mist_rows[3 * i + 2];
    if (dot(x.xyz, x.xyz) == 0.0) return vec2(0.0, 1.0);
    vec3 start = vec3(dot(x.xyz, from) + x.w, dot(y.xyz, from) + y.w, dot(z.xyz, from) + z.w);
    vec3 along = vec3(dot(x.xyz, way), dot(y.xyz, way), dot(z.xyz, way));
    vec3 safe = mix(along, vec3(1e-6), lessThan(abs(along), vec3(1e-6)));
    vec3 a = (-0.5 - start) / safe, b = (0.5 - start) / safe;  // the slabs of Kay & Kajiya 1986
    vec3 lo = min(a, b), hi = max(a, b);
    float enters = clamp(max(lo.x, max(lo.y, lo.z)), 0.0, 1.0);
    return vec2(enters, max(min(1.0, min(hi.x, min(hi.y, hi.z))), enters));
}

// How thick it is from one height to another, over the length between: the closed form of the exponential's integral.
float mist_mean(int i, float from, float to) {
    float rate = mist_shape[i].y, low = exp(min((mist_shape[i].x - from) * rate, 8.0));
    float rise = (to - from) * rate;
    float mean = abs(rise) < 1e-3 ? 1.0 - 0.5 * rise : (1.0 - exp(-clamp(rise, -16.0, 16.0))) / rise;
    return mist_shape[i].z * low * mean;
}

// What mist sends along a way in some point of it, over its colour: the sky it sees, the sun (Henyey & Greenstein 1941)
// and the lamps it stands in.
vec3 mist_lit(vec3 world, vec3 ahead) {
    vec3 l = sun_direction.xyz;
    float g = 0.55, phase = (1.0 - g * g) / (4.0 * PI * pow(1.0 + g * g - 2.0 * g * dot(ahead, l), 1.5));
    vec3 light = sun_radiance.rgb * phase * sun_reaches(world);
    light += irradiance[0].rgb * 0.282095 * sky_share(world);
    for (int i = 0; i < lamp_count; ++i) light += lamp_arrives(i, world, l) * lamp_sees(i, world, vec3(0.0), true) / (4.0 * PI);
    return light;
}

// What mist adds of light between two points, and what it leaves of what is behind. `chance` shifts where it is looked at.
vec4 mist_between(vec3 from, vec3 to, float chance) {
    vec3 way = to - from, tint = vec3(0.0);
    float far = length(way), whole = 0.0, first = 1.0, last = 0.0;
    for (int i = 0; i < mist_count; ++i) {
        vec2 reach = mist_reaches(i, from, way);
        float thick = mist_mean(i, from.y + way.y * reach.x, from.y + way.y * reach.y) * (reach.y - reach.x) * far;
        whole += thick;
        tint += mist_color[i].rgb * thick;
        if (thick > 0.0) first = min(first, reach.x), last = max(last, reach.y);
    }
    if (whole <= 0.0) return vec4(0.0, 0.0, 0.0, 1.0);
    // Nothing is seen of mist behind mist that lets less than a tenth of a hundredth through.
    float ahead = min(last, first + (last - first) * 7.0 / max(whole, 7.0));
    vec3 light = vec3(0.0);
    float sum = 0.0;
    for (int k = 0; k < MIST_STEPS; ++k) {
        float share = (float(k) + chance) / float(MIST_STEPS);
        float left = exp(-min(whole, 7.0) * share);
        light += mist_lit(from + way * mix(first, ahead, share), way / far) * left;
        sum += left;
    }
    float through = exp(-min(whole, 80.0));
    return vec4(tint / whole * light / sum * (1.0 - through), through);
}
