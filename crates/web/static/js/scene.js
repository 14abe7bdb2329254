// The viewport: draws what the server computed, on demand, and turns the camera.
import * as THREE from "../vendor/three.js";
import { OrbitControls } from "../vendor/three.js";
import { Figure } from "./figure.js";
import { rendererFor } from "./renderer.js";

// What a button of the mouse does to the view, as the controls number it.
const [ROTATE, DOLLY, PAN] = [0, 1, 2];

// How high the row of maps is, with what is above it.
const MAPS_PX = 48;

export class Scene {
  constructor(canvas, fitting) {
    THREE.ColorManagement.enabled = false;
    this.canvas = canvas;
    this.now = new Figure(fitting);
    this.then = null;
    this.split = 0.5;
    this.showEdges = false;
    this.sheer = false;
    this.shown = new Map();
    this.autoSheer = new Set();
    this.tools = new Set();
    this.renderer = rendererFor(canvas);
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(0xf6f2e9, 1);
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.camera = new THREE.PerspectiveCamera(28, 1, 0.02, 40);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.minDistance = 0.12;
    this.controls.maxDistance = 12;
    this.controls.addEventListener("change", () => this.draw());
    this.drawn = 0;
    // Who draws over the picture, told when it has been drawn.
    this.onDrawn = [];
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

  async setParts(facts) {
    this.facts = facts;
    // A cage hides what it is about, until somebody wants to see it.
    for (const part of facts.parts) {
      if (part.cage && !this.shown.has(part.id)) this.shown.set(part.id, "sheer");
    }
    await this.now.setParts(facts);
  }

  setPose(pose) {
    this.now.setPose(pose);
    this.draw();
  }

  setMaps(maps, map) {
    this.now.setMaps(maps, map);
    this.draw();
  }

  // Vertices of a part that are chosen.
  setChosen(id, vertices) {
    this.now.setChosen(id, vertices);
    this.draw();
  }

  // How model space comes into the picture, and where the eye is.
  seenThrough() {
    this.camera.updateMatrixWorld();
    const matrix = new THREE.Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse);
    return { to_picture: matrix.toArray(), eye: this.camera.position.toArray() };
  }

  setView(view, map) {
    this.now.setView(view, map);
    this.applyShown();
  }

  // Draws a part elsewhere until new positions come.
  setPlacement(id, matrix) {
    this.now.place(id, matrix);
    this.draw();
  }

  // "shown", "sheer" or "hidden" for a part.
  setShown(id, how) {
    this.shown.set(id, how);
    this.applyShown();
  }

  // Parts that turn sheer by themselves, so that what they lie over is seen.
  setAutoSheer(ids) {
    this.autoSheer = new Set(ids);
    this.applyShown();
  }

  hiddenParts() {
    return [...this.now.parts.keys()].filter((id) => this.shown.get(id) === "hidden");
  }

  applyShown() {
    const sheer = (id) => this.autoSheer.has(id) || (this.sheer && id !== 0);
    for (const figure of this.figures()) figure.applyShown(this.shown, sheer, this.showEdges);
    this.draw();
  }

  // While a tool is in hand the left button is its own: the right one turns the view, the middle one shifts it.
  turnByRight(tool, yes) {
    this.tools[yes ? "add" : "delete"](tool);
    this.controls.mouseButtons = this.tools.size > 0
      ? { LEFT: null, MIDDLE: PAN, RIGHT: ROTATE }
      : { LEFT: ROTATE, MIDDLE: DOLLY, RIGHT: PAN };
  }

  // Straight from one of its sides, as far off as now.
  seeFrom(x, y, z) {
    const { target } = this.controls;
    this.lookAt(target.clone(), new THREE.Vector3(x, y, z), this.camera.position.distanceTo(target));
  }

  // Shifts the view by what the figure has gone since the pose that was drawn last: the mean of where its joints take
  // its middle.
  goAlong({ matrices, joints }) {
    const low = new THREE.Vector3(...this.facts.low);
    const middle = low.add(new THREE.Vector3(...this.facts.high)).multiplyScalar(0.5);
    const there = new THREE.Vector3();
    for (let j = 0; j < joints; j++) {
      const row = (k) => matrices.subarray(j * 12 + k * 4, j * 12 + k * 4 + 4);
      const along = (r) => r[0] * middle.x + r[1] * middle.y + r[2] * middle.z + r[3];
      there.add(new THREE.Vector3(along(row(0)), along(row(1)), along(row(2))));
    }
    there.divideScalar(Math.max(joints, 1));
    if (this.gone) {
      const by = there.clone().sub(this.gone);
      this.controls.target.add(by);
      this.camera.position.add(by);
      this.controls.update();
    }
    this.gone = there;
  }

  // As the fitting stands, and as it was when it is compared.
  figures() {
    return this.then ? [this.now, this.then] : [this.now];
  }

  // The whole figure, from the front and a little aside.
  seeWhole() {
    const low = new THREE.Vector3(...this.facts.low);
    const high = new THREE.Vector3(...this.facts.high);
    const middle = low.clone().add(high).multiplyScalar(0.5);
    const size = high.clone().sub(low);
    const half = Math.tan((this.camera.fov * Math.PI) / 360);
    // Beneath the row of maps, which lies over the top of the picture.
    const height = Math.max(this.canvas.clientHeight, 1);
    const free = Math.max(height - MAPS_PX, height * 0.5);
    const away = (Math.max(size.y * (height / free), size.x / this.camera.aspect) * 0.53) / half + size.z * 0.5;
    middle.y += ((height - free) / height) * away * half;
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
    const right = ((x - box.left) / box.width) * 2 - 1;
    const up = 1 - ((y - box.top) / box.height) * 2;
    const at = new THREE.Vector3(right, up, 0.5).unproject(this.camera);
    const direction = at.sub(this.camera.position).normalize();
    return { origin: this.camera.position.toArray(), direction: direction.toArray() };
  }

  // What was left of the line, what is right of it.
  drawSides(width, height) {
    this.renderer.setScissorTest(this.then !== null);
    if (this.then === null) {
      this.renderer.render(this.now.scene, this.camera);
      return;
    }
    const at = Math.round(width * this.split);
    this.renderer.setScissor(0, 0, at, height);
    this.renderer.render(this.then.scene, this.camera);
    this.renderer.setScissor(at, 0, width - at, height);
    this.renderer.render(this.now.scene, this.camera);
  }

  // At most once a frame, and only when something changed.
  draw() {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      const size = this.renderer.getDrawingBufferSize(new THREE.Vector2());
      const ratio = this.renderer.getPixelRatio();
      for (const figure of this.figures()) figure.setPixel((2.4 * ratio) / size.x, (2.4 * ratio) / size.y);
      this.drawSides(size.x / ratio, size.y / ratio);
      this.onDrawn.forEach((told) => told());
      this.drawn += 1;
      this.canvas.dataset.drawn = String(this.drawn);
    });
  }
}
