// The body and its pieces as they are drawn: meshes kept by key, positions and maps from the server.
import * as THREE from "../vendor/three.js";
import { getBytes, readMesh, readSkin } from "./ask.js";
import { linesMaterial, outlineMaterial, surfaceMaterial } from "./shading.js";

const MAP_NUMBER = {
  plain: 0, weights: 1, clearance: 2, regions: 3, matched: 4, hidden: 4, sides: 5, strain: 6, turned: 6,
};

// Faces by key, and rest shapes with weights by theirs, shared by the figures of all steps.
const meshes = new Map();
const skins = new Map();
// So many rest shapes are kept for undo and comparing.
const MOST_SKINS = 60;

export class Figure {
  // `step` is one to look back at; none is the fitting as it stands.
  constructor(fitting, step = null) {
    Object.assign(this, { fitting, step, parts: new Map(), scene: new THREE.Scene() });
    this.bones = { value: null };
  }

  // The facts of the scene are new: keep meshes whose key is known, fetch the others.
  async setParts(facts) {
    this.facts = facts;
    const wanted = new Set(facts.parts.map((p) => p.id));
    for (const id of [...this.parts.keys()]) {
      if (!wanted.has(id)) this.drop(id);
    }
    const of = this.step === null ? "" : `&step=${this.step}`;
    await Promise.all(facts.parts.map(async (part) => {
      const known = this.parts.get(part.id);
      const skin = await this.skinOf(part, of);
      if (known && known.key === part.key) {
        known.surface.material.uniforms.colour.value.set(...part.colour.map((c) => c / 255));
        this.setSkin(part.id, skin);
        return;
      }
      if (!meshes.has(part.key)) {
        meshes.set(part.key, readMesh(await getBytes(`/fitting/${this.fitting}/mesh/${part.id}?key=${part.key}${of}`)));
      }
      if (known) this.drop(part.id);
      this.add(part, meshes.get(part.key));
      this.setSkin(part.id, skin);
    }));
  }

  async skinOf(part, of) {
    const known = this.parts.get(part.id);
    if (known?.skin?.key === part.skin) return known.skin;
    if (!skins.has(part.skin)) {
      const bytes = await getBytes(`/fitting/${this.fitting}/skin/${part.id}?key=${part.skin}${of}`);
      skins.set(part.skin, { ...readSkin(bytes), key: part.skin });
      if (skins.size > MOST_SKINS) skins.delete(skins.keys().next().value);
    }
    return skins.get(part.skin);
  }

  // The rest shape of a part with its weights: poses are made of it on the card.
  setSkin(id, skin) {
    const part = this.parts.get(id);
    if (part.skin === skin) return;
    Object.assign(part, { skin, amounts: "" });
    part.atRest = {
      position: new THREE.BufferAttribute(skin.positions, 3),
      normal: new THREE.BufferAttribute(skin.normals, 4, true),
    };
    for (const geometry of [part.surface.geometry, part.edges.geometry]) {
      for (const [name, values] of Object.entries(skin.attributes)) {
        geometry.setAttribute(name, new THREE.BufferAttribute(values, 4));
      }
    }
    this.useRest(part);
  }

  // Draws a part from its rest shape, or (`skinned` false) from positions as they come.
  useRest(part, skinned = true) {
    if (skinned) {
      part.surface.geometry.setAttribute("position", part.shaped ?? part.atRest.position);
      part.surface.geometry.setAttribute("normal", part.atRest.normal);
      part.edges.geometry.setAttribute("position", part.shaped ?? part.atRest.position);
    }
    for (const object of [part.surface, part.outline, part.edges]) object.material.uniforms.skinned.value = skinned;
  }

  // A pose: matrices of the joints, and how far it calls up shapes.
  setPose({ matrices, joints, amounts }) {
    if (this.bones.value?.image.height !== joints) {
      this.bones.value?.dispose();
      const rows = new Float32Array(joints * 12);
      const texture = new THREE.DataTexture(rows, 3, joints, THREE.RGBAFormat, THREE.FloatType);
      this.bones.value = texture;
    }
    this.bones.value.image.data.set(matrices);
    this.bones.value.needsUpdate = true;
    for (const [id, part] of this.parts) {
      this.shape(part, amounts);
      this.useRest(part);
      this.place(id, new THREE.Matrix4());
    }
  }

  // The rest shape with driven shapes as far as the pose calls them up.
  shape(part, amounts) {
    if (!part.skin || part.skin.shapes.length === 0 || part.amounts === String(amounts)) return;
    part.amounts = String(amounts);
    const positions = part.skin.positions.slice();
    part.skin.shapes.forEach(({ vertices, offsets }, s) => {
      if (!amounts[s]) return;
      vertices.forEach((v, i) => {
        for (let axis = 0; axis < 3; axis++) positions[3 * v + axis] += offsets[3 * i + axis] * amounts[s];
      });
    });
    part.shaped = new THREE.BufferAttribute(positions, 3);
  }

  // Map values of all parts.
  setMaps(maps, map) {
    for (const { id, values } of maps) this.setMap(id, values, map);
  }

  setMap(id, values, map) {
    const part = this.parts.get(id);
    const mapped = part?.surface.geometry.getAttribute("mapped");
    if (!part || (values && mapped.count !== values.length)) return;
    for (let i = 0; i < mapped.count; i++) {
      const value = values ? values[i] : NaN;
      mapped.array[2 * i] = Number.isNaN(value) ? 0 : value;
      mapped.array[2 * i + 1] = Number.isNaN(value) ? 0 : 1;
    }
    mapped.needsUpdate = true;
    part.surface.material.uniforms.mapKind.value = MAP_NUMBER[map];
  }

  // Chosen vertices are tinted, with a line round them.
  setChosen(id, vertices) {
    const chosen = this.parts.get(id)?.surface.geometry.getAttribute("chosen");
    if (!chosen) return;
    chosen.array.fill(0);
    vertices.forEach((v) => { chosen.array[v] = 255; });
    chosen.needsUpdate = true;
  }

  add(part, mesh) {
    const geometry = new THREE.BufferGeometry();
    geometry.setIndex(new THREE.BufferAttribute(mesh.triangles, 1));
    geometry.setAttribute("mapped", new THREE.BufferAttribute(new Float32Array(mesh.vertices * 2), 2));
    geometry.setAttribute("chosen", new THREE.BufferAttribute(new Uint8Array(mesh.vertices), 1, true));
    geometry.boundingSphere = new THREE.Sphere(new THREE.Vector3(0, 1, 0), 3);
    const wires = new THREE.BufferGeometry();
    wires.setIndex(new THREE.BufferAttribute(mesh.lines, 1));
    wires.boundingSphere = geometry.boundingSphere;
    const surface = new THREE.Mesh(geometry, surfaceMaterial(part.colour, this.bones));
    const outline = new THREE.Mesh(geometry, outlineMaterial(this.bones));
    const edges = new THREE.LineSegments(wires, linesMaterial(this.bones));
    surface.material.uniforms.tolerance.value = this.facts.tolerance_mm;
    surface.material.polygonOffset = true;
    surface.material.polygonOffsetFactor = 1;
    surface.material.polygonOffsetUnits = 1;
    this.scene.add(surface, outline, edges);
    this.parts.set(part.id, { key: part.key, surface, outline, edges });
  }

  drop(id) {
    const { surface, outline, edges } = this.parts.get(id);
    for (const object of [surface, outline, edges]) {
      this.scene.remove(object);
      object.material.dispose();
      object.geometry.dispose();
    }
    this.parts.delete(id);
  }

  dropAll() {
    [...this.parts.keys()].forEach((id) => this.drop(id));
  }

  // New positions, normals and maps of some parts: a preview, until the next pose.
  setView(view, map) {
    for (const { id, positions, normals, map: values } of view) {
      const part = this.parts.get(id);
      if (!part || part.surface.geometry.getAttribute("mapped").count * 3 !== positions.length) continue;
      const place = new THREE.BufferAttribute(positions, 3);
      part.surface.geometry.setAttribute("position", place);
      part.surface.geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 4, true));
      part.edges.geometry.setAttribute("position", place);
      this.useRest(part, false);
      this.setMap(id, values, map);
      this.place(id, new THREE.Matrix4());
    }
  }

  // Draws a part elsewhere until new positions come.
  place(id, matrix) {
    const part = this.parts.get(id);
    for (const object of part ? [part.surface, part.outline, part.edges] : []) {
      object.matrixAutoUpdate = false;
      object.matrix.copy(matrix);
    }
  }

  // `shown` says of each part whether it is "shown", "sheer" or "hidden", `isSheer` which turn sheer anyway.
  applyShown(shown, isSheer, showEdges) {
    for (const [id, part] of this.parts) {
      const how = shown.get(id) ?? "shown";
      const sheer = how === "sheer" || (isSheer(id) && how === "shown");
      part.surface.visible = how !== "hidden";
      part.outline.visible = how === "shown" && !sheer;
      part.edges.visible = how !== "hidden" && showEdges;
      part.surface.material.uniforms.opacity.value = sheer ? 0.38 : 1;
      part.surface.material.transparent = sheer;
      part.surface.material.depthWrite = !sheer;
      part.surface.renderOrder = sheer ? 1 : 0;
    }
  }

  // Outlines are as wide on any canvas.
  setPixel(x, y) {
    for (const part of this.parts.values()) part.outline.material.uniforms.pixel.value.set(x, y);
  }
}
