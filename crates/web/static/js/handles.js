// Handles on the canvas for the piece whose “Move, turn, size” is open: arms that move it, arcs
// that turn it, a corner that sizes it. They only fill in the form; the server places the piece.
import * as THREE from "../vendor/three.js";

const NS = "http://www.w3.org/2000/svg";
const AXES = [new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0), new THREE.Vector3(0, 0, 1)];
const WORDS = ["left", "up", "forward"];
const CLASSES = ["axis-left", "axis-up", "axis-forward"];
const ARC_STEPS = 14;

function shape(name, attributes, title) {
  const e = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  if (title) e.append(Object.assign(document.createElementNS(NS, "title"), { textContent: title }));
  return e;
}

export class Handles {
  constructor(scene, canvas) {
    Object.assign(this, { scene, canvas, part: null, drag: null });
    this.svg = document.getElementById("handles");
    scene.onDrawn = () => this.draw();
    this.svg.addEventListener("pointerdown", (e) => this.down(e));
    this.svg.addEventListener("pointermove", (e) => this.move(e));
    this.svg.addEventListener("pointerup", (e) => this.up(e));
    document.body.addEventListener("toggle", () => this.follow(), true);
    document.body.addEventListener("input", (e) => {
      if (this.part && e.target.closest?.(".place-form") === this.form()) this.preview();
    });
  }

  form() {
    const open = document.querySelector("details.seat[open] details.place[open] .place-form");
    return open ?? null;
  }

  // The form that is open, and with it the piece.
  follow() {
    const id = this.form() ? Number(this.form().dataset.piece) : null;
    this.part = this.scene.facts?.parts.find((p) => p.id === id) ?? null;
    this.svg.toggleAttribute("hidden", !this.part);
    this.scene.draw();
  }

  field(name, axis) {
    return this.form().elements[name][axis];
  }

  numbers(name) {
    return [0, 1, 2].map((i) => Number(this.field(name, i).value) || 0);
  }

  // Where the piece's middle is now, with what the form says.
  middle() {
    return new THREE.Vector3(...this.part.middle).addScaledVector(new THREE.Vector3(...this.numbers("shift")), 0.001);
  }

  // The drawn piece follows the form until it is placed.
  preview() {
    const [x, y, z] = this.numbers("turn").map((d) => (d * Math.PI) / 180);
    const about = this.form().elements.about.value;
    const own = new THREE.Vector3(...this.part.middle);
    const matrix = new THREE.Matrix4();
    if (about === "") {
      const turn = new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(x, y, z, "ZYX"));
      const size = this.numbers("size").map((s) => s / 100);
      matrix.makeTranslation(...this.middle()).multiply(turn).scale(new THREE.Vector3(...size));
      matrix.multiply(new THREE.Matrix4().makeTranslation(-own.x, -own.y, -own.z));
    } else {
      matrix.makeTranslation(...this.middle().sub(own));
    }
    this.scene.setPlacement(this.part.id, matrix);
    this.draw();
  }

  onScreen(p) {
    const box = this.svg.getBoundingClientRect();
    const q = p.clone().project(this.scene.camera);
    return [((q.x + 1) / 2) * box.width, ((1 - q.y) / 2) * box.height];
  }

  // Length of an arm: about as long on the screen however near one is.
  arm() {
    return this.scene.camera.position.distanceTo(this.middle()) * 0.085;
  }

  arcPoint(axis, share, radius) {
    const [u, v] = [AXES[(axis + 1) % 3], AXES[(axis + 2) % 3]];
    const angle = share * Math.PI * 0.5;
    return this.middle().addScaledVector(u, radius * Math.cos(angle)).addScaledVector(v, radius * Math.sin(angle));
  }

  corner() {
    return this.middle().addScaledVector(new THREE.Vector3(-1, -1, 1).normalize(), this.arm());
  }

  draw() {
    if (!this.part || !this.form()) return;
    const list = [];
    const middle = this.middle();
    const from = this.onScreen(middle);
    const arm = this.arm();
    for (let axis = 0; axis < 3; axis++) {
      const point = (i) => this.onScreen(this.arcPoint(axis, i / ARC_STEPS, arm * 0.72));
      const arc = Array.from({ length: ARC_STEPS + 1 }, (_, i) => point(i).map((n) => n.toFixed(1)).join(" "));
      list.push(shape("path", { class: `arc ${CLASSES[axis]}`, d: `M${arc.join("L")}` }));
      const [kx, ky] = this.onScreen(this.arcPoint(axis, 0.5, arm * 0.72));
      const knob = { class: `knob ${CLASSES[axis]}`, "data-axis": axis };
      const diamond = { x: kx - 5, y: ky - 5, width: 10, height: 10, transform: `rotate(45 ${kx} ${ky})` };
      list.push(shape("rect", { ...knob, ...diamond, "data-does": "turn" }, `Turn about the axis ${WORDS[axis]}`));
      const [x, y] = this.onScreen(middle.clone().addScaledVector(AXES[axis], arm));
      list.push(shape("line", { class: `arm ${CLASSES[axis]}`, x1: from[0], y1: from[1], x2: x, y2: y }));
      list.push(shape("circle", { ...knob, cx: x, cy: y, r: 6.5, "data-does": "move" }, `Move ${WORDS[axis]}`));
    }
    const [x, y] = this.onScreen(this.corner());
    list.push(shape("line", { class: "arm", x1: from[0], y1: from[1], x2: x, y2: y }));
    list.push(shape("rect", { class: "knob", x: x - 6, y: y - 6, width: 12, height: 12, "data-does": "size" }, "Size"));
    this.svg.replaceChildren(...list);
  }

  down(e) {
    const knob = e.target.closest("[data-does]");
    if (!knob || e.button !== 0) return;
    e.preventDefault();
    this.svg.setPointerCapture(e.pointerId);
    const [does, axis] = [knob.dataset.does, Number(knob.dataset.axis ?? 0)];
    const arm = this.arm();
    const along = does === "turn"
      ? [this.arcPoint(axis, 0.5, arm * 0.72), this.arcPoint(axis, 0.51, arm * 0.72)]
      : [this.middle(), this.middle().addScaledVector(AXES[axis], arm)];
    const [a, b] = along.map((p) => this.onScreen(p));
    const name = { move: "shift", turn: "turn", size: "size" }[does];
    this.drag = {
      does, axis, arm, name,
      step: [b[0] - a[0], b[1] - a[1]],
      from: [e.clientX, e.clientY],
      start: this.numbers(name),
      centre: this.onScreen(this.middle()),
    };
  }

  move(e) {
    if (!this.drag) return;
    const { does, axis, arm, name, step, from, start, centre } = this.drag;
    const by = [e.clientX - from[0], e.clientY - from[1]];
    // Along the arm or the arc as it lies on the screen.
    const share = (by[0] * step[0] + by[1] * step[1]) / Math.max(step[0] ** 2 + step[1] ** 2, 1e-6);
    const set = (i, value, digits) => { this.field(name, i).value = value.toFixed(digits); };
    if (does === "move") set(axis, start[axis] + share * arm * 1000, 1);
    if (does === "turn") set(axis, start[axis] + share * 0.9, 1);
    if (does === "size") {
      const box = this.svg.getBoundingClientRect();
      const away = (x, y) => Math.hypot(x - box.left - centre[0], y - box.top - centre[1]);
      const ratio = Math.max(away(e.clientX, e.clientY) / Math.max(away(...from), 1), 0.05);
      start.forEach((s, i) => set(i, s * ratio, 1));
    }
    this.preview();
  }

  up() {
    if (!this.drag) return;
    this.drag = null;
    this.form().requestSubmit();
  }

  // A millimetre along an axis, as one step.
  nudge(axis, mm) {
    if (!this.part || !this.form()) return false;
    this.field("shift", axis).value = String(this.numbers("shift")[axis] + mm);
    this.form().requestSubmit();
    return true;
  }
}
