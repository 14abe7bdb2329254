// The body and its pieces as they are drawn: meshes kept by key, positions and maps from the server.
import * as THREE from "../vendor/three.module.js";
import { getBytes, readMesh } from "./ask.js";
import { linesMaterial, outlineMaterial, surfaceMaterial } from "./shading.js";

const MAP_NUMBER = { plain: 0, weights: 1, clearance: 2, regions: 3, matched: 4, sides: 5 };

// Faces by key, shared by the figures of all steps.
const meshes = new Map();

export class Figure {
  // `step` is one to look back at; none is the fitting as it stands.
  constructor(fitting, step = null) {
    Object.assign(this, { fitting, step, parts: new Map(), scene: new THREE.Scene() });
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
      if (known && known.key === part.key) {
        known.surface.material.uniforms.colour.value.set(...part.colour.map((c) => c / 255));
        return;
      }
      if (!meshes.has(part.key)) {
        meshes.set(part.key, readMesh(await getBytes(`/fitting/${this.fitting}/mesh/${part.id}?key=${part.key}${of}`)));
      }
      if (known) this.drop(part.id);
      this.add(part, meshes.get(part.key));
    }));
  }

  add(part, mesh) {
    const geometry = new THREE.BufferGeometry();
    geometry.setIndex(new THREE.BufferAttribute(mesh.triangles, 1));
    geometry.setAttribute("mapped", new THREE.BufferAttribute(new Float32Array(mesh.vertices * 2), 2));
    geometry.boundingSphere = new THREE.Sphere(new THREE.Vector3(0, 1, 0), 3);
    const wires = new THREE.BufferGeometry();
    wires.setIndex(new THREE.BufferAttribute(mesh.lines, 1));
    wires.boundingSphere = geometry.boundingSphere;
    const surface = new THREE.Mesh(geometry, surfaceMaterial(part.colour));
    const outline = new THREE.Mesh(geometry, outlineMaterial());
    const edges = new THREE.LineSegments(wires, linesMaterial());
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

  // New positions, normals and maps of all parts.
  setView(view, map) {
    for (const { id, positions, normals, map: values } of view) {
      const part = this.parts.get(id);
      if (!part || part.surface.geometry.getAttribute("mapped").count * 3 !== positions.length) continue;
      const place = new THREE.BufferAttribute(positions, 3);
      part.surface.geometry.setAttribute("position", place);
      part.surface.geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 4, true));
      part.edges.geometry.setAttribute("position", place);
      const mapped = part.surface.geometry.getAttribute("mapped");
      for (let i = 0; i < mapped.count; i++) {
        const value = values ? values[i] : NaN;
        mapped.array[2 * i] = Number.isNaN(value) ? 0 : value;
        mapped.array[2 * i + 1] = Number.isNaN(value) ? 0 : 1;
      }
      mapped.needsUpdate = true;
      part.surface.material.uniforms.mapKind.value = MAP_NUMBER[map];
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

  // `shown` says of each part whether it is "shown", "sheer" or "hidden".
  applyShown(shown, allSheer, showEdges) {
    for (const [id, part] of this.parts) {
      const how = shown.get(id) ?? "shown";
      const sheer = how === "sheer" || (allSheer && id !== 0 && how === "shown");
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
