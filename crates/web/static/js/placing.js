// The piece whose “Move, turn, size” is open, as handles move it: drawn as its form says until it is placed.
import * as THREE from "../vendor/three.js";

export class Placing {
  constructor(scene) {
    Object.assign(this, { scene, part: null });
    document.body.addEventListener("input", (e) => {
      if (this.part && e.target.closest?.(".place-form") === this.form()) this.preview();
    });
  }

  form() {
    return document.querySelector("details.seat[open] details.place[open] .place-form");
  }

  follow() {
    const id = this.form() ? Number(this.form().dataset.piece) : null;
    this.part = this.scene.facts?.parts.find((p) => p.id === id) ?? null;
    return this.part !== null;
  }

  numbers(name) {
    return [0, 1, 2].map((i) => Number(this.form().elements[name][i].value) || 0);
  }

  set(name, axis, value) {
    this.form().elements[name][axis].value = value.toFixed(1);
  }

  // Where the piece's middle is now, with what the form says.
  middle() {
    return new THREE.Vector3(...this.part.middle).addScaledVector(new THREE.Vector3(...this.numbers("shift")), 0.001);
  }

  grab() {}

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
  }

  submit() {
    this.form().requestSubmit();
  }
}
