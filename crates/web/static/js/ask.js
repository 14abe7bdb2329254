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

// A form without a page; the answer is the job it began.
export async function postForm(url, fields) {
  const response = await checked(await fetch(url, { method: "POST", body: new URLSearchParams(fields) }));
  return JSON.parse(response.headers.get("HX-Trigger"))["job-started"].job;
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
