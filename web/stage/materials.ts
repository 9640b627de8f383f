import { Color, DoubleSide, ShaderMaterial } from 'three'

/** Light from the upper left, like a window by the bench; the floor of the shade keeps dark sides readable. */
const SHADE = /* glsl */ `
  float shade(vec3 n) {
    vec3 key = normalize(vec3(-0.45, 0.55, 0.75));
    float light = max(dot(n, key), 0.0);
    float fill = 0.5 + 0.5 * n.y;
    return 0.56 + 0.42 * light + 0.1 * fill;
  }
  vec3 lit(vec3 colour, float s) {
    return s <= 1.0 ? colour * s : mix(colour, vec3(1.0), min(0.5, (s - 1.0) * 1.6));
  }
`

/**
 * Beside a sharp edge a point's normal is neither side's, and light mixed over the triangle would smear the edge: there a
 * triangle is lit as it faces itself (from 8° off, wholly from 20°).
 */
const CRISP = /* glsl */ `
  vec3 crisp(vec3 n, vec3 place) {
    vec3 own = normalize(cross(dFdx(place), dFdy(place)));
    if (own.z < 0.0) own = -own;
    return normalize(mix(n, own, 1.0 - smoothstep(0.94, 0.99, dot(n, own))));
  }
`

/** Only one side of a line down the picture is drawn; `splitSide` −1 its left, 1 its right, 0 all. */
const SPLIT = /* glsl */ `
  uniform float splitAt;
  uniform float splitSide;
  bool beyond() { return splitSide != 0.0 && (gl_FragCoord.x - splitAt) * splitSide < 0.0; }
`
const splitUniforms = () => ({ splitAt: { value: 0 }, splitSide: { value: 0 } })

/**
 * Points as round marks shaded by their normals; `mark` 1 = selected (woad), `tint` replaces the pigment where its
 * fourth value is 1.
 */
export function pointMaterial(colour: string, sizePx: number): ShaderMaterial {
  return new ShaderMaterial({
    uniforms: {
      pigment: { value: new Color(colour) },
      sizePx: { value: sizePx },
      useTint: { value: 0 },
      ...splitUniforms(),
    },
    // A point has one normal, so its light is reckoned once for it and not for each of its pixels.
    vertexShader: /* glsl */ `
      attribute float mark;
      attribute vec3 tint;
      uniform float sizePx;
      uniform vec3 pigment;
      uniform float useTint;
      varying float vMark;
      varying vec3 vColour;
      #include <colorspace_pars_fragment>
      ${SHADE}
      void main() {
        vec3 n = normalMatrix * normal;
        // Points that face away are turned: a scan sees only what faces it, so this only softens noise.
        if (n.z < 0.0) n = -n;
        // Tints come as sRGB, light is reckoned in linear colour.
        vec3 base = useTint > 0.5 ? pow(tint, vec3(2.2)) : pigment;
        float s = length(n) > 0.1 ? shade(normalize(n)) : 1.0;
        vColour = sRGBTransferOETF(vec4(lit(base, s), 1.0)).rgb;
        vMark = mark;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
        gl_PointSize = sizePx;
      }`,
    fragmentShader: /* glsl */ `
      varying float vMark;
      varying vec3 vColour;
      // Woad, pale and full, in sRGB.
      const vec3 PALE = vec3(${srgb([0.42, 0.64, 0.84])});
      const vec3 FULL = vec3(${srgb([0.09, 0.41, 0.67])});
      ${SPLIT}
      void main() {
        if (beyond()) discard;
        vec3 colour = vColour;
        if (vMark > 0.5) colour = fract((gl_FragCoord.x + gl_FragCoord.y) / 6.0) < 0.5 ? PALE : FULL;
        gl_FragColor = vec4(colour, 1.0);
      }`,
  })
}

/** Linear light as numbers of a shader in sRGB (IEC 61966-2-1). */
function srgb(linear: readonly number[]): string {
  return linear.map((v) => (1.055 * v ** (1 / 2.4) - 0.055).toFixed(4)).join(', ')
}

/** What may be painted on a planned piece; the number a shader knows it by is its place here, from 1. */
export const PAINT_MODES = ['seen', 'angle', 'shared'] as const
export type PaintMode = (typeof PAINT_MODES)[number]

/**
 * One ink, with patterns: seen well solid, thinly pale with dots, could be seen open hatch, out of reach graphite
 * cross-hatch. Best angles and shared views are steps of the same ink; what no take sees is always the open hatch.
 */
const PAINT = /* glsl */ `
  vec3 steel = vec3(0.076, 0.216, 0.314);
  vec3 paper = vec3(0.9, 0.86, 0.78);
  vec3 graphite = vec3(0.105, 0.12, 0.138);
  float hatchLine(float at) { return step(0.74, fract(at / 8.0)); }
  vec3 openHatch() { return mix(paper, steel, hatchLine(gl_FragCoord.x - gl_FragCoord.y)); }
  vec3 painted(float mode, float v) {
    if (mode < 1.5) {
      if (v < 0.5) return steel * 1.25;
      if (v < 1.5) {
        vec2 cell = fract(gl_FragCoord.xy / 6.0) - 0.5;
        return mix(vec3(0.4, 0.55, 0.62), steel, 1.0 - step(0.24, length(cell)));
      }
      if (v < 2.5) return openHatch();
      float cross = max(hatchLine(gl_FragCoord.x - gl_FragCoord.y), hatchLine(gl_FragCoord.x + gl_FragCoord.y));
      return mix(vec3(0.62, 0.58, 0.52), graphite, cross);
    }
    if (mode < 2.5) return v > 5.5 ? openHatch() : mix(steel, vec3(0.72, 0.76, 0.76), v / 5.0);
    return v < 0.5 ? openHatch() : mix(vec3(0.66, 0.73, 0.75), steel, clamp((v - 1.0) / 3.0, 0.0, 1.0));
  }
`

/** The skin in unglazed clay; evidence as patterns: carried fine dots, invented open hatch. */
export function meshMaterial(colour: string): ShaderMaterial {
  return new ShaderMaterial({
    side: DoubleSide,
    uniforms: {
      pigment: { value: new Color(colour) },
      showEvidence: { value: 0 },
      paint: { value: 0 },
      useTint: { value: 0 },
      usePicture: { value: 0 },
      picture: { value: null },
      ...splitUniforms(),
    },
    vertexShader: /* glsl */ `
      attribute float evidence;
      attribute vec3 tint;
      varying vec3 vNormal;
      varying vec3 vPlace;
      varying vec3 vTint;
      varying vec2 vPicture;
      varying float vEvidence;
      void main() {
        vTint = tint;
        vPicture = uv;
        vNormal = normalMatrix * normal;
        vEvidence = evidence;
        vec4 place = modelViewMatrix * vec4(position, 1.0);
        vPlace = place.xyz;
        gl_Position = projectionMatrix * place;
      }`,
    fragmentShader: /* glsl */ `
      uniform vec3 pigment;
      uniform float showEvidence;
      uniform float paint;
      uniform float useTint;
      uniform float usePicture;
      uniform sampler2D picture;
      varying vec2 vPicture;
      varying vec3 vNormal;
      varying vec3 vPlace;
      varying vec3 vTint;
      varying float vEvidence;
      ${SHADE}
      ${CRISP}
      ${PAINT}
      ${SPLIT}
      void main() {
        if (beyond()) discard;
        vec3 n = crisp(normalize(gl_FrontFacing ? vNormal : -vNormal), vPlace);
        vec3 base = gl_FrontFacing ? pigment : pigment * 0.62;
        if (useTint > 0.5) base = pow(vTint, vec3(2.2));
        // A face without a place in the picture has its corners at 0, 0, where no chart begins.
        if (usePicture > 0.5 && vPicture.x + vPicture.y > 0.0) base = texture2D(picture, vPicture).rgb;
        if (paint > 0.5) base = painted(paint, vEvidence);
        if (showEvidence > 0.5 && vEvidence > 0.25) {
          if (vEvidence > 1.5) {
            float line = step(0.72, fract((gl_FragCoord.x - gl_FragCoord.y) / 8.0));
            base = mix(vec3(0.93, 0.9, 0.84), vec3(0.36, 0.38, 0.41), line);
          } else {
            vec2 cell = fract(gl_FragCoord.xy / 6.0) - 0.5;
            base = mix(base, vec3(0.2, 0.22, 0.24), 1.0 - step(0.22, length(cell)));
          }
        }
        gl_FragColor = vec4(lit(base, shade(n)), 1.0);
        #include <colorspace_fragment>
      }`,
  })
}
