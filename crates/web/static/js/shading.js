// Materials: soft light on paper, contour maps with their lines, an ink outline.
import * as THREE from "../vendor/three.js";

// Regions by the joint that moves them most: light and dark in turn, so that they differ without
// colour too.
export const REGIONS = ["#E3C9A0", "#33506E", "#A9C2B4", "#8C4B3A", "#F1E6C8", "#5E6F52", "#C79FA3", "#5B4B66"];

// The shares of red, green and blue.
function shares(hex) {
  return new THREE.Vector3(...hex.match(/\w\w/g).map((c) => parseInt(c, 16) / 255));
}

// Poses a vertex on the card: up to eight joints, whose matrices lie in a texture, a row a joint.
const SKIN = `
attribute vec4 jointsA;
attribute vec4 jointsB;
attribute vec4 weightsA;
attribute vec4 weightsB;
uniform highp sampler2D bones;
uniform bool skinned;
mat4 bone(float joint) {
  int row = int(joint + 0.5);
  vec4 x = texelFetch(bones, ivec2(0, row), 0);
  vec4 y = texelFetch(bones, ivec2(1, row), 0);
  vec4 z = texelFetch(bones, ivec2(2, row), 0);
  return mat4(x.x, y.x, z.x, 0.0, x.y, y.y, z.y, 0.0, x.z, y.z, z.z, 0.0, x.w, y.w, z.w, 1.0);
}
mat4 posed() {
  if (!skinned || weightsA.x == 0.0) return mat4(1.0);
  mat4 sum = mat4(0.0);
  for (int k = 0; k < 4; k++) {
    if (weightsA[k] > 0.0) sum += bone(jointsA[k]) * weightsA[k];
    if (weightsB[k] > 0.0) sum += bone(jointsB[k]) * weightsB[k];
  }
  return sum;
}`;

const VERTEX = `${SKIN}
attribute vec2 mapped;
attribute float chosen;
varying vec3 vNormal;
varying vec2 vMapped;
varying float vChosen;
flat varying vec2 vRegion;
void main() {
  mat4 pose = posed();
  vNormal = normalize(normalMatrix * (mat3(pose) * normal));
  vMapped = mapped;
  vRegion = mapped;
  vChosen = chosen;
  gl_Position = projectionMatrix * modelViewMatrix * (pose * vec4(position, 1.0));
}`;

const FRAGMENT = `
uniform vec3 colour;
uniform int mapKind;
uniform float tolerance;
uniform float opacity;
varying vec3 vNormal;
varying vec2 vMapped;
varying float vChosen;
// A region has no colour between two: each face takes one corner's.
flat varying vec2 vRegion;
uniform vec3 regions[8];

float line(float value, float at, float width) {
  float d = abs(value - at) / max(fwidth(value), 1e-6);
  return 1.0 - smoothstep(width - 0.5, width + 0.5, d);
}

vec3 weights(float w) {
  vec3 c = mix(vec3(0.965, 0.949, 0.914), vec3(0.137, 0.251, 0.420), clamp(w, 0.0, 1.0));
  float l = max(line(w, 0.10, 0.8), line(w, 0.25, 0.8));
  l = max(l, max(line(w, 0.50, 1.1), max(line(w, 0.75, 0.8), line(w, 0.90, 0.8))));
  return mix(c, w > 0.6 ? vec3(0.85, 0.88, 0.92) : vec3(0.12, 0.165, 0.19), l * 0.6);
}

vec3 clearance(float mm) {
  float beyond = step(tolerance * 0.999, -mm);
  float deep = clamp(0.28 - mm / 6.0, 0.0, 1.0);
  float slight = clamp(-mm / 3.0, 0.0, 0.28);
  vec3 c = mm < 0.0
    ? mix(vec3(1.0), vec3(0.651, 0.184, 0.294), mix(slight, deep, beyond))
    : mix(vec3(0.99), vec3(0.180, 0.490, 0.455), clamp(mm / 20.0, 0.0, 0.82));
  float each = mm / 4.0;
  float near = abs(fract(each + 0.5) - 0.5) / max(fwidth(each), 1e-6);
  float l = (1.0 - smoothstep(0.3, 1.2, near)) * step(1.0, mm) * step(mm, 19.0);
  c = mix(c, c * 0.72, l * 0.75);
  return mix(c, vec3(0.12, 0.165, 0.19), line(mm, 0.0, 1.1) * 0.85);
}

vec3 matched(float filled) {
  vec3 c = mix(vec3(0.80, 0.87, 0.84), vec3(0.78, 0.47, 0.26), step(0.5, filled));
  return mix(c, vec3(0.12, 0.165, 0.19), line(filled, 0.5, 1.0) * 0.7);
}

vec3 sides(float left) {
  vec3 paper = vec3(0.965, 0.949, 0.914);
  vec3 c = left < 0.0 ? mix(paper, vec3(0.72, 0.42, 0.24), -left) : mix(paper, vec3(0.20, 0.31, 0.44), left);
  return mix(c, vec3(0.12, 0.165, 0.19), line(left, 0.0, 1.0) * 0.7);
}

// Stretched by half is full copper, squashed to half full blue.
vec3 strain(float s) {
  vec3 paper = vec3(0.965, 0.949, 0.914);
  vec3 c = s < 0.0
    ? mix(paper, vec3(0.137, 0.251, 0.420), clamp(-s * 2.0, 0.0, 1.0))
    : mix(paper, vec3(0.769, 0.408, 0.184), clamp(s * 2.0, 0.0, 1.0));
  float l = max(line(s, 0.1, 0.7), max(line(s, 0.25, 0.7), line(s, 0.5, 1.0)));
  l = max(l, max(line(s, -0.1, 0.7), max(line(s, -0.25, 0.7), line(s, -0.5, 1.0))));
  return mix(c, vec3(0.12, 0.165, 0.19), l * 0.55);
}

void main() {
  vec3 n = normalize(gl_FrontFacing ? vNormal : -vNormal);
  vec3 base = colour;
  if (mapKind == 1 && vMapped.y > 0.5) base = weights(vMapped.x);
  if (mapKind == 3 && vRegion.y > 0.5) base = regions[int(vRegion.x + 0.5)];
  if (mapKind == 4 && vMapped.y > 0.5) base = matched(vMapped.x);
  if (mapKind == 5 && vMapped.y > 0.5) base = sides(clamp(vMapped.x, -1.0, 1.0));
  if (mapKind == 6 && vMapped.y > 0.5) base = strain(vMapped.x);
  if (mapKind == 2 && vMapped.y > 0.98) base = clearance(vMapped.x);
  base = mix(base, vec3(0.87, 0.55, 0.16), 0.34 * step(0.5, vChosen));
  base = mix(base, vec3(0.42, 0.17, 0.05), line(vChosen, 0.5, 1.6));
  float key = max(dot(n, normalize(vec3(-0.45, 0.62, 0.65))), 0.0);
  float fill = 0.5 + 0.5 * n.y;
  float light = 0.60 + 0.36 * key + 0.07 * fill;
  if (!gl_FrontFacing) light *= 0.62;
  gl_FragColor = vec4(base * light, opacity);
}`;

// sRGB goes in and comes out unchanged: the palette is chosen by eye.
export function surfaceMaterial([r, g, b], bones) {
  return new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    side: THREE.DoubleSide,
    uniforms: {
      ...posedBy(bones),
      colour: { value: new THREE.Vector3(r / 255, g / 255, b / 255) },
      mapKind: { value: 0 },
      regions: { value: REGIONS.map(shares) },
      tolerance: { value: 0.5 },
      opacity: { value: 1 },
    },
  });
}

const OUTLINE_VERTEX = `${SKIN}
uniform vec2 pixel;
void main() {
  mat4 pose = posed();
  vec4 p = projectionMatrix * modelViewMatrix * (pose * vec4(position, 1.0));
  vec3 n = normalize(normalMatrix * (mat3(pose) * normal));
  vec2 along = (projectionMatrix * vec4(n, 0.0)).xy;
  p.xy += along / max(length(along), 1e-5) * pixel * p.w;
  p.z += 0.0004 * p.w;
  gl_Position = p;
}`;

export function outlineMaterial(bones) {
  return new THREE.ShaderMaterial({
    vertexShader: OUTLINE_VERTEX,
    fragmentShader: "void main() { gl_FragColor = vec4(0.122, 0.165, 0.188, 1.0); }",
    side: THREE.BackSide,
    uniforms: { ...posedBy(bones), pixel: { value: new THREE.Vector2() } },
  });
}

const LINES_VERTEX = `${SKIN}
void main() {
  gl_Position = projectionMatrix * modelViewMatrix * (posed() * vec4(position, 1.0));
}`;

export function linesMaterial(bones) {
  return new THREE.ShaderMaterial({
    vertexShader: LINES_VERTEX,
    fragmentShader: "void main() { gl_FragColor = vec4(0.122, 0.165, 0.188, 0.35); }",
    transparent: true,
    uniforms: posedBy(bones),
  });
}

const posedBy = (bones) => ({ bones, skinned: { value: false } });
