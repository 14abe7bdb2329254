// A line drawn on a piece, from one vertex to another: a fade, a gradient or a crease goes by it. It stays until
// another is drawn.
import * as THREE from "../vendor/three.js";

const NS = "http://www.w3.org/2000/svg";

export class Line {
  // `stage` has scene, `request()` and `probe(x, y, piece)`; `choosing` knows the piece; `onDrawn` hears of a new one.
  constructor(canvas, choosing, stage, onDrawn) {
    Object.assign(this, { canvas, choosing, stage, onDrawn, on: false, ends: null, drag: null });
    this.svg = document.createElementNS(NS, "svg");
    this.svg.setAttribute("class", "drawn-line");
    this.svg.setAttribute("aria-hidden", "true");
    this.line = this.svg.appendChild(document.createElementNS(NS, "line"));
    this.marks = [0, 1].map(() => this.svg.appendChild(document.createElementNS(NS, "circle")));
    canvas.parentElement.append(this.svg);
    stage.scene.onDrawn.push(() => this.draw());
    canvas.addEventListener("pointerdown", (e) => this.down(e), true);
    canvas.addEventListener("pointermove", (e) => this.move(e), true);
    canvas.addEventListener("pointerup", (e) => this.up(e), true);
  }

  // Vertices of the line on the piece that is worked on; nothing when there is none.
  get vertices() {
    return this.ends?.piece === this.choosing.piece ? this.ends.vertices : null;
  }

  toggle() {
    this.on = !this.on;
    if (this.on) {
      this.choosing.mode = null;
      this.choosing.mark();
    }
    this.canvas.classList.toggle("choosing", this.on);
    this.stage.scene.turnByRight("line", this.on);
    this.onDrawn();
  }

  down(e) {
    if (!this.on || e.button !== 0) return;
    e.stopImmediatePropagation();
    this.canvas.setPointerCapture(e.pointerId);
    const at = [e.clientX, e.clientY];
    this.drag = { first: this.stage.probe(...at, this.choosing.piece), from: [e.offsetX, e.offsetY] };
  }

  move(e) {
    if (!this.drag) return;
    e.stopImmediatePropagation();
    this.put(this.drag.from, [e.offsetX, e.offsetY]);
  }

  async up(e) {
    if (!this.drag) return;
    e.stopImmediatePropagation();
    const { first } = this.drag;
    this.drag = null;
    const found = await Promise.all([first, this.stage.probe(e.clientX, e.clientY, this.choosing.piece)]);
    const { piece } = this.choosing;
    const onIt = found.every((f) => f?.part === piece) && found[0].vertex !== found[1].vertex;
    if (onIt) {
      const points = found.map((f) => new THREE.Vector3(...f.point));
      this.ends = { piece, vertices: found.map((f) => f.vertex), points, seen: JSON.stringify(this.stage.request()) };
      this.toggle();
    }
    this.draw();
  }

  // It is drawn in the pose it was drawn in; elsewhere its places are others.
  draw() {
    if (this.drag) return;
    const isSeen = this.vertices !== null && this.ends.seen === JSON.stringify(this.stage.request());
    this.svg.toggleAttribute("hidden", !isSeen);
    if (!isSeen) return;
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const onScreen = (p) => {
      const q = p.clone().project(this.stage.scene.camera);
      return [((q.x + 1) / 2) * w, ((1 - q.y) / 2) * h];
    };
    this.put(...this.ends.points.map(onScreen));
  }

  put(from, to) {
    this.svg.toggleAttribute("hidden", false);
    const places = { x1: from[0], y1: from[1], x2: to[0], y2: to[1] };
    for (const [key, value] of Object.entries(places)) this.line.setAttribute(key, value.toFixed(1));
    [from, to].forEach(([x, y], i) => {
      this.marks[i].setAttribute("cx", x.toFixed(1));
      this.marks[i].setAttribute("cy", y.toFixed(1));
      this.marks[i].setAttribute("r", i === 0 ? 5 : 3.5);
    });
  }
}
