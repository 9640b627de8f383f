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

/** Points as round marks shaded by their normals; `mark` 1 = selected (woad), `tint` replaces the pigment where its fourth value is 1. */
export function pointMaterial(colour: string, sizePx: number): ShaderMaterial {
  return new ShaderMaterial({
    uniforms: { pigment: { value: new Color(colour) }, sizePx: { value: sizePx }, useTint: { value: 0 } },
    vertexShader: /* glsl */ `
      attribute float mark;
      attribute vec3 tint;
      uniform float sizePx;
      varying vec3 vNormal;
      varying float vMark;
      varying vec3 vTint;
      void main() {
        vNormal = normalMatrix * normal;
        // Points that face away are turned: a scan sees only what faces it, so this only softens noise.
        if (vNormal.z < 0.0) vNormal = -vNormal;
        vMark = mark;
        vTint = tint;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
        gl_PointSize = sizePx;
      }`,
    fragmentShader: /* glsl */ `
      uniform vec3 pigment;
      uniform float useTint;
      varying vec3 vNormal;
      varying float vMark;
      varying vec3 vTint;
      ${SHADE}
      void main() {
        // Tints come as sRGB, light is reckoned in linear colour.
        vec3 base = useTint > 0.5 ? pow(vTint, vec3(2.2)) : pigment;
        float s = length(vNormal) > 0.1 ? shade(normalize(vNormal)) : 1.0;
        vec3 colour = lit(base, s);
        if (vMark > 0.5) {
          float hatch = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 6.0));
          colour = mix(vec3(0.42, 0.64, 0.84), vec3(0.09, 0.41, 0.67), hatch);
        }
        gl_FragColor = vec4(colour, 1.0);
        #include <colorspace_fragment>
      }`,
  })
}

/** The skin in unglazed clay; evidence as patterns: carried fine dots, invented open hatch. */
export function meshMaterial(colour: string): ShaderMaterial {
  return new ShaderMaterial({
    side: DoubleSide,
    uniforms: { pigment: { value: new Color(colour) }, showEvidence: { value: 0 } },
    vertexShader: /* glsl */ `
      attribute float evidence;
      varying vec3 vNormal;
      varying float vEvidence;
      void main() {
        vNormal = normalMatrix * normal;
        vEvidence = evidence;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: /* glsl */ `
      uniform vec3 pigment;
      uniform float showEvidence;
      varying vec3 vNormal;
      varying float vEvidence;
      ${SHADE}
      void main() {
        vec3 n = normalize(gl_FrontFacing ? vNormal : -vNormal);
        vec3 base = gl_FrontFacing ? pigment : pigment * 0.62;
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
