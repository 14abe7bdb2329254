// Two steps side by side: an earlier one left of a line that can be dragged, the fitting as it
// stands right of it.
import { getJson, postForBytes, readMaps, readPoses } from "./ask.js";
import { Figure } from "./figure.js";
import { notice } from "./notice.js";

export class Compare {
  constructor(scene, fitting) {
    Object.assign(this, { scene, fitting, step: null, facts: null });
    this.line = document.getElementById("split");
    this.line.addEventListener("pointerdown", (e) => {
      // The pointer that is held here would press nothing.
      if (e.target.closest("#split-end")) return;
      e.preventDefault();
      this.line.setPointerCapture(e.pointerId);
      this.dragging = true;
    });
    this.line.addEventListener("pointermove", (e) => this.dragging && this.moveTo(e.clientX));
    this.line.addEventListener("pointerup", () => { this.dragging = false; });
    this.line.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
      if (!by) return;
      e.stopPropagation();
      this.set(this.scene.split + by);
    });
  }

  moveTo(x) {
    const box = this.scene.canvas.getBoundingClientRect();
    this.set((x - box.left) / box.width);
  }

  set(share) {
    this.scene.split = Math.min(0.97, Math.max(0.03, share));
    this.line.style.left = `${this.scene.split * 100}%`;
    this.scene.draw();
  }

  async begin(step, label) {
    this.end();
    this.step = step;
    this.facts = await getJson(`/fitting/${this.fitting}/scene?step=${step}`);
    const figure = new Figure(this.fitting, step);
    await figure.setParts(this.facts);
    this.scene.then = figure;
    document.getElementById("split-then").textContent = label;
    this.line.hidden = false;
    this.set(0.5);
  }

  // Steps that were tried have numbers below zero.
  get isOfTried() {
    return this.step !== null && this.step < 0;
  }

  markTried() {
    for (const button of document.querySelectorAll(".see-tried")) {
      button.setAttribute("aria-pressed", Number(button.dataset.seq) === this.step);
    }
  }

  end() {
    this.scene.then?.dropAll();
    Object.assign(this.scene, { then: null });
    Object.assign(this, { step: null, facts: null });
    this.line.hidden = true;
    this.scene.draw();
  }

  // The same pose, joint and map as on the other side, by name: steps may have others.
  async look(request, poseName, jointName) {
    if (this.step === null) return;
    const pose = this.facts.poses.indexOf(poseName);
    const joint = Math.max(0, this.facts.joints.findIndex((j) => j.name === jointName));
    if (pose < 0) {
      notice(`“${poseName}” was not tried at step ${this.step}: choose another pose.`);
      return;
    }
    // Joints turned by hand that were not there yet stay at rest.
    const turns = request.turns.filter((t) => t.joint < this.facts.joints.length);
    const asked = { ...request, pose, joint, turns };
    const ask = (what) => postForBytes(`/fitting/${this.fitting}/${what}?step=${this.step}`, asked);
    const [posed, maps] = await Promise.all([ask("pose"), ask("maps")]);
    this.scene.then?.setPose(readPoses(posed)[0]);
    this.scene.then?.setMaps(readMaps(maps), request.map);
    this.scene.applyShown();
  }
}
