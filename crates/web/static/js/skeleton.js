// The skeleton drawn over the figure: bones from joint to joint, and joints that can be clicked.
import * as THREE from "../vendor/three.js";
import { postForJson } from "./ask.js";

const NS = "http://www.w3.org/2000/svg";

function shape(name, attributes) {
  const e = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  return e;
}

export class Skeleton {
  // `stage` has scene, joints, `request()`, `isStill()` and the joints' facts.
  constructor(canvas, fitting, stage) {
    Object.assign(this, { canvas, fitting, stage, on: false, places: null });
    this.svg = document.getElementById("skeleton");
    this.button = document.getElementById("skeleton-on");
    this.button.addEventListener("click", () => this.toggle());
    this.svg.addEventListener("click", (e) => {
      const joint = e.target.closest("[data-joint]")?.dataset.joint;
      if (joint !== undefined) stage.joints.pick(Number(joint));
      this.draw();
    });
    stage.scene.onDrawn.push(() => this.draw());
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", this.on);
    this.look();
  }

  // Where the joints are in what is looked at now.
  async look() {
    this.places = null;
    if (this.on) {
      const asked = this.stage.request();
      const found = await postForJson(`/fitting/${this.fitting}/joint-places`, asked);
      if (JSON.stringify(asked) !== JSON.stringify(this.stage.request())) return;
      this.places = found.map((p) => new THREE.Vector3(...p));
    }
    this.draw();
  }

  draw() {
    const isSeen = this.on && this.places !== null && this.stage.isStill();
    this.svg.toggleAttribute("hidden", !isSeen);
    if (!isSeen) return;
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const onScreen = (p) => {
      const q = p.clone().project(this.stage.scene.camera);
      return [(((q.x + 1) / 2) * w).toFixed(1), (((1 - q.y) / 2) * h).toFixed(1)];
    };
    const at = this.places.map(onScreen);
    const facts = this.stage.facts();
    const bones = facts.flatMap(({ parent }, j) => {
      if (parent === null || !at[j]) return [];
      return [shape("line", { x1: at[parent][0], y1: at[parent][1], x2: at[j][0], y2: at[j][1] })];
    });
    const knobs = facts.flatMap(({ name }, j) => {
      if (!at[j]) return [];
      const { joint, search } = this.stage.joints;
      const chosen = j === joint && search.value !== "" ? "chosen" : "";
      const knob = shape("circle", { cx: at[j][0], cy: at[j][1], r: 4.5, class: chosen, "data-joint": j });
      knob.append(Object.assign(document.createElementNS(NS, "title"), { textContent: name }));
      return [knob];
    });
    this.svg.replaceChildren(...bones, ...knobs);
  }
}
