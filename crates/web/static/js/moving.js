// What is chosen, as handles move it: they fill in the strip's form, and the server says what that comes to.
import * as THREE from "../vendor/three.js";

export class Moving {
  // `onToggled` is told when the handles are asked for, or no longer.
  constructor(tool, choosing, stage, onToggled) {
    Object.assign(this, { tool, choosing, stage, onToggled, on: false });
    this.button = document.getElementById("handles-on");
    this.button.addEventListener("click", () => this.toggle());
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", this.on);
    // A click on the cloth beneath a handle would choose instead.
    if (this.on && this.choosing.mode) this.choosing.setMode(this.choosing.mode);
    this.onToggled();
  }

  follow() {
    return this.on && this.choosing.piece > 0 && this.choosing.middle !== null;
  }

  fields(name) {
    return [this.tool.form.elements[name]].flatMap((e) => e instanceof RadioNodeList ? [...e] : [e]);
  }

  numbers(name) {
    const fields = this.fields(name);
    return [0, 1, 2].map((i) => Number((fields[i] ?? fields[0]).value) || 0);
  }

  set(name, axis, value) {
    const fields = this.fields(name);
    (fields[axis] ?? fields[0]).value = value.toFixed(1);
  }

  middle() {
    const shift = new THREE.Vector3(...this.numbers("shift"));
    return new THREE.Vector3(...this.choosing.middle).addScaledVector(shift, 0.001);
  }

  // What is moved is what is seen: in a pose it is moved there, and carried back.
  grab() {
    const { pose, turns, shapes } = this.stage.request();
    const atRest = pose === 0 && turns.length === 0 && shapes.length === 0;
    if (!atRest) this.tool.form.elements["in-pose"].checked = true;
  }

  preview() {
    this.tool.look();
  }

  submit() {
    this.tool.form.requestSubmit();
  }
}
