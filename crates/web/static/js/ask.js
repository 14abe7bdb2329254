// Questions to the server; a refusal is shown and thrown.
import { notice } from "./notice.js";

async function checked(response) {
  if (response.ok) return response;
  const text = await response.text();
  notice(text);
  throw new Error(text);
}

export async function getJson(url) {
  return (await checked(await fetch(url))).json();
}

export async function getText(url) {
  return (await checked(await fetch(url))).text();
}

export async function getBytes(url) {
  return (await checked(await fetch(url))).arrayBuffer();
}

function post(url, body, signal) {
  const headers = { "Content-Type": "application/json" };
  return fetch(url, { method: "POST", headers, body: JSON.stringify(body), signal });
}

export async function postForJson(url, body, signal) {
  return (await checked(await post(url, body, signal))).json();
}

export async function postForText(url, body) {
  return (await checked(await post(url, body))).text();
}

export async function postText(url, body) {
  return (await checked(await fetch(url, { method: "POST", body }))).json();
}

export async function postForBytes(url, body) {
  return (await checked(await post(url, body))).arrayBuffer();
}

// A preview, with the figures about it.
export async function postForPreview(url, body) {
  const response = await checked(await post(url, body));
  return { figures: JSON.parse(response.headers.get("X-Figures")), parts: readView(await response.arrayBuffer()) };
}

// The faces of a part: see `binary.rs` for the layout.
export function readMesh(buffer) {
  const [vertices, triangles, lines] = new Uint32Array(buffer, 0, 3);
  return {
    vertices,
    triangles: new Uint32Array(buffer, 12, triangles * 3),
    lines: new Uint32Array(buffer, 12 + triangles * 12, lines * 2),
  };
}

// Posed parts with their maps: see `binary.rs` for the layout.
export function readView(buffer) {
  const view = new DataView(buffer);
  const parts = [];
  let at = 4;
  for (let n = view.getUint32(0, true); n > 0; n--) {
    const id = view.getUint32(at, true);
    const count = view.getUint32(at + 4, true);
    const mapped = view.getUint32(at + 8, true) === 1;
    at += 12;
    const positions = new Float32Array(buffer, at, count * 3);
    at += count * 12;
    const normals = new Int8Array(buffer, at, count * 4);
    at += count * 4;
    const map = mapped ? new Float32Array(buffer, at, count) : null;
    at += mapped ? count * 4 : 0;
    parts.push({ id, positions, normals, map });
  }
  return parts;
}

// Four values a vertex, from the first or the second four of `stride`.
function four(source, count, stride, from) {
  const out = new Float32Array(count * 4);
  for (let v = 0; v < count; v++) {
    for (let k = from; k < Math.min(stride, from + 4); k++) out[4 * v + k - from] = source[v * stride + k];
  }
  return out;
}

// A part at rest with its weights: see `binary.rs` for the layout.
export function readSkin(buffer) {
  const [vertices, stride, shapeCount] = new Uint32Array(buffer, 0, 3);
  let at = 12;
  const take = (Type, count) => {
    const values = new Type(buffer, at, count);
    at = Math.ceil((at + values.byteLength) / 4) * 4;
    return values;
  };
  const positions = take(Float32Array, vertices * 3);
  const normals = take(Int8Array, vertices * 4);
  const joints = take(Uint16Array, stride ? vertices * stride : 0);
  const weights = take(Float32Array, stride ? vertices * stride : 0);
  const shapes = [];
  for (let s = 0; s < shapeCount; s++) {
    const [count] = take(Uint32Array, 1);
    shapes.push({ vertices: take(Uint32Array, count), offsets: take(Float32Array, count * 3) });
  }
  const attributes = {
    jointsA: four(joints, vertices, stride, 0),
    jointsB: four(joints, vertices, stride, 4),
    weightsA: four(weights, vertices, stride, 0),
    weightsB: four(weights, vertices, stride, 4),
  };
  return { positions, normals, attributes, shapes };
}

// Poses with their seconds: see `binary.rs` for the layout.
export function readPoses(buffer) {
  const [count, joints, amounts] = new Uint32Array(buffer, 0, 3);
  const each = 1 + joints * 12 + amounts;
  return Array.from({ length: count }, (_, n) => {
    const floats = new Float32Array(buffer, 12 + n * each * 4, each);
    const matrices = floats.subarray(1, 1 + joints * 12);
    return { time: floats[0], joints, matrices, amounts: floats.subarray(1 + joints * 12) };
  });
}

// Maps of parts: see `binary.rs` for the layout.
export function readMaps(buffer) {
  const view = new DataView(buffer);
  const maps = [];
  let at = 4;
  for (let n = view.getUint32(0, true); n > 0; n--) {
    const [id, count] = [view.getUint32(at, true), view.getUint32(at + 4, true)];
    const step = view.getFloat32(at + 8, true);
    const words = new Int16Array(buffer, at + 12, count);
    const values = count === 0 ? null : Float32Array.from(words, (w) => (w === -32768 ? NaN : w * step));
    maps.push({ id, values });
    at += 12 + Math.ceil(count / 2) * 4;
  }
  return maps;
}
