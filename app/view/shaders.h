// The view's shaders: one vertex stage, a geometry stage where triangles must know their size
// or edges, and one fragment stage for all lenses.

#pragma once

namespace flentro::app {

/// Metres: what is nearer to a light casts no shadow.
inline constexpr float kLampNear = 0.05F;
/// Square metres: keeps what is at a lamp from burning out.
inline constexpr float kLampSize = 0.6F;
/// Directional lights that shine in the view; all are counted by the lens.
inline constexpr int kMaxSuns = 4;
/// Lux of all of them together: the eye adapts to stronger ones.
inline constexpr float kBrightestSuns = 4;

inline constexpr const char* kVertexShader = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 texCoord;  // both sets
layout(location = 3) in vec4 model0;
layout(location = 4) in vec4 model1;
layout(location = 5) in vec4 model2;
layout(location = 6) in vec4 model3;
layout(location = 7) in vec4 tint;  // colour of the lens; w: fade
layout(location = 8) in vec3 color;  // linear
uniform mat4 viewProjection;
out Surface { vec3 place; vec3 normal; vec4 texCoord; vec4 tint; vec3 color; } surface;
void main() {
    mat4 model = mat4(model0, model1, model2, model3);
    vec4 world = model * vec4(position, 1.0);
    surface.place = world.xyz;
    surface.normal = mat3(model) * normal;
    surface.texCoord = texCoord;
    surface.tint = tint;
    surface.color = pow(color, vec3(1.0 / 2.2));
    gl_Position = viewProjection * world;
}
)";

inline constexpr const char* kGeometryShader = R"(#version 330 core
layout(triangles) in;
layout(triangle_strip, max_vertices = 3) out;
uniform vec2 viewport;  // pixels of the target's display
in Surface { vec3 place; vec3 normal; vec4 texCoord; vec4 tint; vec3 color; } source[];
out Surface { vec3 place; vec3 normal; vec4 texCoord; vec4 tint; vec3 color; } surface;
out vec3 corner;
flat out float pixels;
void main() {
    vec2 p[3];
    for (int i = 0; i < 3; ++i)
        p[i] = gl_in[i].gl_Position.xy / max(gl_in[i].gl_Position.w, 1e-4) * viewport * 0.5;
    vec2 a = p[1] - p[0];
    vec2 b = p[2] - p[0];
    float area = 0.5 * abs(a.x * b.y - a.y * b.x);
    for (int i = 0; i < 3; ++i) {
        surface.place = source[i].place;
        surface.normal = source[i].normal;
        surface.texCoord = source[i].texCoord;
        surface.tint = source[i].tint;
        surface.color = source[i].color;
        corner = vec3(i == 0, i == 1, i == 2);
        pixels = area;
        gl_Position = gl_in[i].gl_Position;
        EmitVertex();
    }
    EndPrimitive();
}
)";

/// Depths around a light: holes only.
inline constexpr const char* kDepthShader = R"(#version 330 core
uniform vec4 baseColor;
uniform float cutoff;      // negative: opaque
uniform int textured;
uniform vec3 lookUpU;
uniform vec3 lookUpV;
uniform int lookUpSet;
uniform sampler2D picture;
in Surface { vec3 place; vec3 normal; vec4 texCoord; vec4 tint; vec3 color; } surface;
void main() {
    if (cutoff < 0.0) return;
    vec3 coords = vec3(lookUpSet == 1 ? surface.texCoord.zw : surface.texCoord.xy, 1.0);
    vec2 at = vec2(dot(lookUpU, coords), dot(lookUpV, coords));
    float alpha = textured != 0 ? texture(picture, at).a * baseColor.a : baseColor.a;
    if (alpha < cutoff) discard;
}
)";

/// `#define SHADED` is put before it where the scene in its own materials lies below the lens,
/// `#define EDGES` where the geometry stage runs, and the lens's own code in place of LENS_CODE:
/// one program for each lens is compiled faster by a software renderer than one for all.
inline constexpr const char* kFragmentShader = R"(
uniform vec4 baseColor;
uniform vec3 emissive;
uniform float cutoff;      // negative: opaque
uniform int textured;
uniform vec3 lookUpU;      // KHR_texture_transform, for (u, v, 1)
uniform vec3 lookUpV;
uniform int lookUpSet;     // of texture coordinates: 0 or 1
uniform int blended;       // transparent: alpha counts
uniform sampler2D picture;
uniform sampler3D lightGrid;
uniform sampler2D glowPicture;
uniform int glowing;        // the emission is coloured by that picture
uniform vec3 glowU;         // where it is looked up
uniform vec3 glowV;
uniform int glowSet;
uniform int lit;
uniform int fromEye;              // a lamp at the eye instead of the scene's lights
uniform int sunCount;             // directional lights that are on
uniform vec3 sunLight[kMaxSuns];  // lux
uniform vec3 sunWay[kMaxSuns];    // towards it
uniform vec3 gridOrigin;
uniform vec3 gridSize;
uniform vec3 eye;
uniform float gloss;
uniform vec3 low;   // the heat scale: blue, paper, plum
uniform vec3 middle;
uniform vec3 high;
uniform vec2 texels;  // of the picture, scaled to the target's display
uniform vec3 layer;   // what one surface adds in the overdraw lens
in Surface { vec3 place; vec3 normal; vec4 texCoord; vec4 tint; vec3 color; } surface;
#ifdef EDGES
in vec3 corner;
flat in float pixels;
#endif
out vec4 color;

vec3 heat(float t) {
    return t < 0.5 ? mix(low, middle, t * 2.0) : mix(middle, high, t * 2.0 - 1.0);
}

vec3 facing() {
    vec3 n = surface.normal;
    if (dot(n, n) < 1e-8) n = cross(dFdx(surface.place), dFdy(surface.place));
    n = normalize(n);
    return gl_FrontFacing ? n : -n;
}

vec2 lookUp(vec3 u, vec3 v, int set) {
    vec3 coords = vec3(set == 1 ? surface.texCoord.zw : surface.texCoord.xy, 1.0);
    return vec2(dot(u, coords), dot(v, coords));
}

vec3 emission() {
    if (glowing == 0) return emissive;
    vec2 at = lookUp(glowU, glowV, glowSet);
    return emissive * pow(texture(glowPicture, at).rgb, vec3(2.2));
}

#ifdef SHADED
const int kMostLamps = 4;
uniform int lampCount;              // lights whose shadows are drawn
uniform float lampNear;             // metres: the near plane of the depths
uniform float lampSize;             // as in the light grid
uniform vec4 lampPlace[kMostLamps]; // w: metres that the depths reach
uniform vec4 lampLight[kMostLamps]; // candela; w: range in metres
uniform vec4 lampCone[kMostLamps];  // way that it shines; w: cosine where a spot ends
uniform float lampInner[kMostLamps]; // cosine up to which a spot is full
uniform samplerCubeShadow lampDepth0;
uniform samplerCubeShadow lampDepth1;
uniform samplerCubeShadow lampDepth2;
uniform samplerCubeShadow lampDepth3;

// Light of a lamp that does not arrive here.
vec3 kept(int lamp, samplerCubeShadow depths, vec3 n) {
    if (lamp >= lampCount) return vec3(0.0);
    vec3 way = surface.place - lampPlace[lamp].xyz;
    float squared = dot(way, way);
    float share = squared / (lampLight[lamp].w * lampLight[lamp].w);
    float far = lampPlace[lamp].w;
    if (share >= 1.0 || squared >= far * far) return vec3(0.0);
    float cosine = dot(lampCone[lamp].xyz, way) / max(sqrt(squared), 1e-4);
    float cone = clamp((cosine - lampCone[lamp].w) / max(lampInner[lamp] - lampCone[lamp].w, 0.001),
                       0.0, 1.0);
    // A surface is asked for a little before itself, so that it does not shade itself.
    way += n * (0.01 + 0.008 * sqrt(squared));
    float deep = max(max(abs(way.x), abs(way.y)), abs(way.z));
    float depth =
        (far + lampNear - 2.0 * far * lampNear / deep) / (far - lampNear) * 0.5 + 0.5;
    float dark = 1.0 - texture(depths, vec4(way, depth));
    return dark * lampLight[lamp].rgb * cone * cone * (1.0 - share * share) / (squared + lampSize);
}

vec3 keptByShadows(vec3 n) {
    return kept(0, lampDepth0, n) + kept(1, lampDepth1, n) + kept(2, lampDepth2, n) +
           kept(3, lampDepth3, n);
}

uniform int sunShaded;              // the directional light whose shadows are drawn; -1: none
uniform mat4 sunMatrix;             // to its depths
uniform float sunTexel;             // metres
uniform sampler2DShadow sunDepth;

// Share of that light that arrives here; all of it where the depths do not reach.
float arriving(vec3 n) {
    vec3 aside = n * (0.01 + 2.0 * sunTexel);
    vec3 at = (sunMatrix * vec4(surface.place + aside, 1.0)).xyz * 0.5 + 0.5;
    if (any(lessThan(at, vec3(0.0))) || any(greaterThan(at, vec3(1.0)))) return 1.0;
    return texture(sunDepth, at);
}

// What directional lights send to a surface, and all around of it.
vec3 sunshine(vec3 n, out float daylight) {
    vec3 sum = vec3(0.0);
    daylight = 0.0;
    for (int i = 0; i < min(sunCount, kMaxSuns); ++i) {
        float share = max(dot(n, sunWay[i]), 0.0);
        if (i == sunShaded && share > 0.0) share *= arriving(n);
        sum += sunLight[i] * share;
        daylight += dot(sunLight[i], vec3(0.2126, 0.7152, 0.0722));
    }
    return sum;
}

vec3 shade(vec4 base, vec3 n) {
    vec3 toEye = normalize(eye - surface.place);
    float up = n.y * 0.5 + 0.5;
    if (fromEye != 0) {
        float key = max(dot(n, toEye), 0.0);  // a lamp at the eye, and a dim sky
        // White just stays below white, so that its shape can be seen.
        return base.rgb * (mix(vec3(0.20, 0.19, 0.18), vec3(0.30, 0.32, 0.36), up) + 0.5 * key) +
               emission();
    }
    vec3 ambient = mix(vec3(0.07, 0.075, 0.10), vec3(0.17, 0.21, 0.32), up);
    float daylight;
    vec3 sun = sunshine(n, daylight);
    ambient *= 1.0 + 0.15 * daylight;
    vec3 cell = (surface.place - gridOrigin) / gridSize;
    vec3 inside = step(vec3(0.0), cell) * step(cell, vec3(1.0));
    vec3 glow = vec3(0.0);
    if (lit != 0) glow = texture(lightGrid, cell).rgb * inside.x * inside.y * inside.z;
    if (lampCount > 0) glow = max(glow - keptByShadows(n), vec3(0.0));
    glow += sun;
    float grazing = 0.55 + 0.45 * max(dot(n, toEye), 0.0);
    vec3 sheen = gloss * glow * pow(1.0 - max(dot(n, toEye), 0.0), 4.0) * 0.5;
    glow = glow / (1.0 + 0.22 * glow);  // keeps what hangs beside a lantern from burning out
    return base.rgb * (ambient + glow * 0.42 * grazing) + sheen + emission();
}
#endif

// Bayer's order of a 4 x 4 screen: what fades loses its pixels one after another.
const float screen[16] = float[16](0.5, 8.5, 2.5, 10.5, 12.5, 4.5, 14.5, 6.5,
                                   3.5, 11.5, 1.5, 9.5, 15.5, 7.5, 13.5, 5.5);

void main() {
#ifdef SHADED
    if (surface.tint.w < 1.0) {
        ivec2 cell = ivec2(gl_FragCoord.xy) & 3;
        if (surface.tint.w * 16.0 < screen[cell.y * 4 + cell.x]) discard;
    }
#endif
    vec4 base = baseColor * vec4(surface.color, 1.0);
    vec2 at = lookUp(lookUpU, lookUpV, lookUpSet);
    if (textured != 0) base *= texture(picture, at);
    if (cutoff >= 0.0 && base.a < cutoff) discard;
    vec3 n = facing();
    float relief = 0.55 + 0.45 * max(dot(n, normalize(eye - surface.place)), 0.0);
#ifdef SHADED
    vec3 linear = shade(vec4(pow(base.rgb, vec3(2.2)), base.a), n);
    linear = linear * 1.5;
    vec3 result = pow(linear / (linear + 0.55) * 1.35, vec3(1.0 / 2.2));
    float alpha = base.a;
#else
    // What is looked at through a lens is seen through panes, too.
    vec3 result = surface.tint.rgb * relief;
    float alpha = 0.5;
#endif
    LENS_CODE
    color = vec4(result, blended != 0 ? alpha : 1.0);
}
)";

}  // namespace flentro::app
