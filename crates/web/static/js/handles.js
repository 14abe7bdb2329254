// Handles on the canvas for what is to be moved: arms that move it, arcs that turn it, a corner that sizes it. They
// only fill in a form; the server moves.
import * as THREE from "../vendor/three.js";

const NS = "http://www.w3.org/2000/svg";
const AXES = [new THREE.Vector3(1, 0, 0), new THREE.Vector3(0, 1, 0), new THREE.Vector3(0, 0, 1)];
const WORDS = ["left", "up", "forward"];
const CLASSES = ["axis-left", "axis-up", "axis-forward"];
const ARC_STEPS = 14;
const FINELY = "; Shift held: a tenth";
// Pixels.
const SHORTEST = 16;

function shape(name, attributes, title) {
  const e = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  if (title) e.append(Object.assign(document.createElementNS(NS, "title"), { textContent: title }));
  return e;
}

// `targets` are what may be moved, the first that is open is: each has `follow()` (true when it is open), `middle()`,
// `numbers(name)`, `set(name, axis, value, digits)`, `grab()`, `preview()` and `submit()`.
export class Handles {
  constructor(scene, targets) {
    Object.assign(this, { scene, targets, target: null, drag: null });
    this.svg = document.getElementById("handles");
    scene.onDrawn.push(() => this.draw());
    this.svg.addEventListener("pointerdown", (e) => this.down(e));
    this.svg.addEventListener("pointermove", (e) => this.move(e));
    this.svg.addEventListener("pointerup", (e) => this.up(e));
    document.body.addEventListener("toggle", () => this.follow(), true);
  }

  // What is open, and so moved.
  follow() {
    this.target = this.targets.find((t) => t.follow()) ?? null;
    this.svg.toggleAttribute("hidden", !this.target);
    this.scene.draw();
  }

  middle() {
    return this.target.middle();
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
    if (!this.target) return;
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
      const [turns, moves] = [`Turn about the axis ${WORDS[axis]}`, `Move ${WORDS[axis]}`].map((s) => s + FINELY);
      list.push(shape("rect", { ...knob, ...diamond, "data-does": "turn" }, turns));
      const [x, y] = this.onScreen(middle.clone().addScaledVector(AXES[axis], arm));
      // One that points at whoever looks cannot be drawn along: a touch would fling it away.
      if (Math.hypot(x - from[0], y - from[1]) < SHORTEST) continue;
      list.push(shape("line", { class: `arm ${CLASSES[axis]}`, x1: from[0], y1: from[1], x2: x, y2: y }));
      list.push(shape("circle", { ...knob, cx: x, cy: y, r: 6.5, "data-does": "move" }, moves));
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
      start: this.target.numbers(name),
      centre: this.onScreen(this.middle()),
    };
    this.target.grab();
  }

  move(e) {
    if (!this.drag) return;
    const { does, axis, arm, name, step, from, start, centre } = this.drag;
    const finely = e.shiftKey ? 0.1 : 1;
    const by = [(e.clientX - from[0]) * finely, (e.clientY - from[1]) * finely];
    // Along the arm or the arc as it lies on the screen.
    const share = (by[0] * step[0] + by[1] * step[1]) / Math.max(step[0] ** 2 + step[1] ** 2, 1e-6);
    const set = (i, value) => this.target.set(name, i, value);
    if (does === "move") set(axis, start[axis] + share * arm * 1000);
    if (does === "turn") set(axis, start[axis] + share * 0.9);
    if (does === "size") {
      const box = this.svg.getBoundingClientRect();
      const away = (x, y) => Math.hypot(x - box.left - centre[0], y - box.top - centre[1]);
      const whole = Math.max(away(e.clientX, e.clientY) / Math.max(away(...from), 1), 0.05);
      const ratio = 1 + (whole - 1) * finely;
      start.forEach((s, i) => set(i, s * ratio));
    }
    this.target.preview();
    this.draw();
  }

  up() {
    if (!this.drag) return;
    this.drag = null;
    this.target.submit();
  }

  // A millimetre along an axis, as one step.
  nudge(axis, mm) {
    if (!this.target) return false;
    this.target.grab();
    this.target.set("shift", axis, this.target.numbers("shift")[axis] + mm);
    this.target.submit();
    return true;
  }
}
