// The brush: collects where it is set down and drawn along, and sends the stroke as one step.
import { postForPreview } from "./ask.js";
import { takeStep } from "./steps.js";

const field = (id) => document.getElementById(id);

export class Brush {
  constructor(canvas, scene, fitting, { probe, request }, onBegin, onJob) {
    Object.assign(this, { canvas, scene, fitting, probe, request, onBegin, onJob, on: false, part: null, dabs: [] });
    canvas.addEventListener("pointerdown", (e) => this.down(e), true);
    canvas.addEventListener("pointermove", (e) => this.move(e), true);
    canvas.addEventListener("pointerup", (e) => this.up(e), true);
  }

  toggle() {
    this.on = !this.on;
    this.begin();
    field("brush-on").setAttribute("aria-pressed", this.on);
    this.canvas.classList.toggle("brushing", this.on);
    this.scene.turnByRight("brush", this.on);
  }

  // It works on what is seen: at rest, or in the pose that is shown.
  begin() {
    if (this.on) this.onBegin(this.inPose() !== null);
  }

  // The panels are drawn anew after each step: the button must say what is so.
  mark() {
    const button = field("brush-on");
    if (!button && this.on) {
      this.on = false;
      this.canvas.classList.remove("brushing");
      this.scene.turnByRight("brush", false);
    }
    button?.setAttribute("aria-pressed", this.on);
  }

  // What is asked of the server: where to look first, where to do it, and how.
  stroke() {
    const kind = field("brush-stroke").value;
    const radius = Number(field("brush-radius").value);
    const reach = { radius_mm: radius, dabs: this.dabs, mirrored: field("brush-mirrored").checked };
    const strength = Number(field("brush-strength").value);
    if (kind === "ease") {
      const body = { chosen: { around: reach }, least_mm: strength, most_mm: null };
      const { chosen, ...options } = body;
      return { look: "ease-view", body, step: { do: "ease", chosen, options } };
    }
    const firm = Number(field("brush-firm").value);
    const into_shape = field("brush-into")?.value || null;
    const body = { stroke: kind, strength, firm_percent: firm, ...reach, in_pose: this.inPose(), into_shape };
    return { look: "brush-view", body, step: { do: "brush", stroke: body } };
  }

  // The pose to work in; at rest none. Easing is of rest alone.
  inPose() {
    if (!field("brush-in-pose").checked || field("brush-stroke").value === "ease") return null;
    const { pose, turns, shapes } = this.request();
    return { pose, turns, shapes };
  }

  async down(e) {
    if (!this.on || e.button !== 0) return;
    e.stopImmediatePropagation();
    // The last stroke is still on its way: it must not be lost.
    if (this.asking) return;
    this.canvas.setPointerCapture(e.pointerId);
    this.dabs = [];
    this.part = null;
    this.drawing = true;
    this.wish = [e.clientX, e.clientY];
    await this.set();
  }

  move(e) {
    if (!this.drawing) return;
    e.stopImmediatePropagation();
    this.wish = [e.clientX, e.clientY];
    this.set();
  }

  // One question at a time; the newest place is kept.
  async set() {
    if (this.asking) return;
    this.asking = true;
    try {
      while (this.wish) {
        const [x, y] = this.wish;
        this.wish = null;
        const found = await this.probe(x, y);
        if (!found || found.part === 0 || (this.part !== null && found.part !== this.part)) continue;
        this.part = found.part;
        this.dabs.push(found.vertex);
        const { look, body } = this.stroke();
        this.show(await postForPreview(`/fitting/${this.fitting}/${look}/${this.part}`, body));
      }
    } finally {
      this.asking = false;
      if (!this.drawing) this.send();
    }
  }

  show({ parts, figures }) {
    this.scene.setView(parts, "clearance");
    const depth = (u) => (u.sunk === 0 ? "nothing sunk" : `${u.sunk} sunk, ${u.deepest_mm.toFixed(1)} mm deep`);
    field("under-brush").textContent = figures.before
      ? `under the brush: ${depth(figures.before)} → ${depth(figures.after)}`
      : `${figures.vertices} vertices move, at most ${figures.most_mm.toFixed(1)} mm`;
  }

  up(e) {
    if (!this.drawing) return;
    e.stopImmediatePropagation();
    this.drawing = false;
    if (!this.asking) this.send();
  }

  async send() {
    if (this.dabs.length === 0) return;
    const { step } = this.stroke();
    const part = this.part;
    this.dabs = [];
    this.onJob(await takeStep(this.fitting, { ...step, piece: part }));
  }
}
