// Limbs are pulled in the viewport: what is pressed follows the pointer, the joints above it go along.
import * as THREE from "../vendor/three.js";
import { postForJson } from "./ask.js";

export class Pull {
  // `stage` has the scene, the joints, what is looked at, what is under a place of the screen, and draws anew.
  constructor(canvas, fitting, stage) {
    Object.assign(this, { canvas, fitting, stage, on: false, held: null, waiting: null });
    this.button = document.getElementById("pull");
    this.button.addEventListener("click", () => this.toggle());
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => { this.held = null; });
  }

  toggle() {
    this.on = !this.on;
    this.button.setAttribute("aria-pressed", this.on);
    this.canvas.classList.toggle("pulling", this.on);
    this.stage.scene.turnByRight("pull", this.on);
  }

  // The joint that moves the place most is held there; further pulls are from here.
  async down(e) {
    if (!this.on || e.button !== 0) return;
    this.held = null;
    this.canvas.setPointerCapture(e.pointerId);
    const found = await this.stage.probe(e.clientX, e.clientY);
    const heaviest = found?.weights.reduce((a, b) => (b[1] > a[1] ? b : a));
    if (!heaviest) return;
    const { joints, scene } = this.stage;
    joints.pickByName(heaviest[0]);
    const normal = scene.camera.getWorldDirection(new THREE.Vector3());
    const point = new THREE.Vector3(...found.point);
    const { pose, turns } = this.stage.request();
    this.held = { pose, turns, joint: joints.joint, normal, point, both_sides: joints.both.checked };
  }

  move(e) {
    if (!this.held || (e.buttons & 1) === 0) return;
    const { origin, direction } = this.stage.scene.ray(e.clientX, e.clientY);
    // Where the pointer is in the plane of the picture through the place that is held.
    const { normal, point } = this.held;
    const [from, way] = [new THREE.Vector3(...origin), new THREE.Vector3(...direction)];
    const far = point.clone().sub(from).dot(normal) / way.dot(normal);
    if (!Number.isFinite(far)) return;
    const by = from.addScaledVector(way, far).sub(point).multiplyScalar(1000).toArray();
    // One question at a time, the newest wish.
    const asking = this.waiting !== null;
    this.waiting = { ...this.held, by };
    if (!asking) this.ask();
  }

  async ask() {
    while (this.waiting?.by) {
      const { pose, turns, joint, by, both_sides } = this.waiting;
      this.waiting = {};
      const asked = { pose, turns, joint, by_mm: by, both_sides };
      try {
        this.stage.joints.setTurns(await postForJson(`/fitting/${this.fitting}/pull`, asked));
        await this.stage.draw();
      } catch {
        // What cannot be pulled is told by the notice; it is let go.
        this.held = null;
      }
    }
    this.waiting = null;
  }
}
