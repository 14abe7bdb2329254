// The viewport: draws what the server computed, on demand, and turns the camera.
import * as THREE from "../vendor/three.module.js";
import { OrbitControls } from "../vendor/orbit-controls.js";
import { getBytes, readMesh } from "./ask.js";
import { linesMaterial, outlineMaterial, surfaceMaterial } from "./shading.js";

const MAP_NUMBER = { plain: 0, weights: 1, clearance: 2, regions: 3, matched: 4, sides: 5 };

export class Scene {
  constructor(canvas, fitting) {
    THREE.ColorManagement.enabled = false;
    this.canvas = canvas;
    this.fitting = fitting;
    this.parts = new Map();
    this.meshes = new Map();
    this.showEdges = false;
    this.sheer = false;
    this.map = "plain";
    this.shown = new Map();
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(0xf6f2e9, 1);
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(28, 1, 0.02, 40);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.minDistance = 0.12;
    this.controls.maxDistance = 12;
    this.controls.addEventListener("change", () => this.draw());
    this.drawn = 0;
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.canvas.parentElement;
    if (w === 0 || h === 0) return;
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  // The facts of the scene are new: keep meshes whose key is known, fetch the others.
  async setParts(facts) {
    this.facts = facts;
    const wanted = new Set(facts.parts.map((p) => p.id));
    for (const id of [...this.parts.keys()]) {
      if (!wanted.has(id)) this.drop(id);
    }
    await Promise.all(facts.parts.map(async (part) => {
      const known = this.parts.get(part.id);
      if (known && known.key === part.key) {
        known.surface.material.uniforms.colour.value.set(...part.colour.map((c) => c / 255));
        return;
      }
      if (!this.meshes.has(part.key)) {
        this.meshes.set(part.key, readMesh(await getBytes(`/fitting/${this.fitting}/mesh/${part.id}?key=${part.key}`)));
      }
      if (known) this.drop(part.id);
      this.add(part, this.meshes.get(part.key));
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

  // New positions, normals and maps of all parts.
  setView(view, map) {
    this.map = map;
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
      this.setPlacement(id, new THREE.Matrix4());
    }
    this.applyShown();
  }

  // Draws a part elsewhere until new positions come.
  setPlacement(id, matrix) {
    const part = this.parts.get(id);
    for (const object of part ? [part.surface, part.outline, part.edges] : []) {
      object.matrixAutoUpdate = false;
      object.matrix.copy(matrix);
    }
    this.draw();
  }

  // "shown", "sheer" or "hidden" for a part.
  setShown(id, how) {
    this.shown.set(id, how);
    this.applyShown();
  }

  hiddenParts() {
    return [...this.parts.keys()].filter((id) => this.shown.get(id) === "hidden");
  }

  applyShown() {
    for (const [id, part] of this.parts) {
      const how = this.shown.get(id) ?? "shown";
      const sheer = how === "sheer" || (this.sheer && id !== 0 && how === "shown");
      part.surface.visible = how !== "hidden";
      part.outline.visible = how === "shown" && !sheer;
      part.edges.visible = how !== "hidden" && this.showEdges;
      part.surface.material.uniforms.opacity.value = sheer ? 0.38 : 1;
      part.surface.material.transparent = sheer;
      part.surface.material.depthWrite = !sheer;
      part.surface.renderOrder = sheer ? 1 : 0;
    }
    this.draw();
  }

  // The whole figure, from the front and a little aside.
  seeWhole() {
    const low = new THREE.Vector3(...this.facts.low);
    const high = new THREE.Vector3(...this.facts.high);
    const middle = low.clone().add(high).multiplyScalar(0.5);
    const size = high.clone().sub(low);
    const half = Math.tan((this.camera.fov * Math.PI) / 360);
    const away = Math.max(size.y, size.x / this.camera.aspect) * 0.56 / half + size.z * 0.5;
    this.lookAt(middle, new THREE.Vector3(0.35, 0.1, 1).normalize(), away);
  }

  // A spot [x, y, z, nx, ny, nz] from outside it.
  seeSpot(spot) {
    const target = new THREE.Vector3(spot[0], spot[1], spot[2]);
    const out = new THREE.Vector3(spot[3], spot[4], spot[5]);
    // Straight down or up has no right way round.
    if (out.x * out.x + out.z * out.z < 0.01) out.z += 0.1;
    this.lookAt(target, out.normalize(), 1.25);
  }

  lookAt(target, direction, distance) {
    this.controls.target.copy(target);
    this.camera.position.copy(target).addScaledVector(direction, distance);
    this.controls.update();
    this.draw();
  }

  // A ray through a point of the canvas, in model space.
  ray(x, y) {
    const box = this.canvas.getBoundingClientRect();
    const at = new THREE.Vector3(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2, 0.5).unproject(this.camera);
    const direction = at.sub(this.camera.position).normalize();
    return { origin: this.camera.position.toArray(), direction: direction.toArray() };
  }

  // At most once a frame, and only when something changed.
  draw() {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      const size = this.renderer.getDrawingBufferSize(new THREE.Vector2());
      const ratio = this.renderer.getPixelRatio();
      for (const part of this.parts.values()) {
        part.outline.material.uniforms.pixel.value.set((2.4 * ratio) / size.x, (2.4 * ratio) / size.y);
      }
      this.renderer.render(this.scene, this.camera);
      this.onDrawn?.();
      this.drawn += 1;
      this.canvas.dataset.drawn = String(this.drawn);
    });
  }
}
