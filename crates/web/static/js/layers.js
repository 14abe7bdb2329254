// The layer panel: seen, sheer or hidden by click; another layer, kind or place by drag and keys.
import { takeStep } from "./steps.js";

const NEXT = { shown: "sheer", sheer: "hidden", hidden: "shown" };
const KINDS = ["soft", "stiff", "mixed"];
const after = (list, now) => list[(list.indexOf(now) + 1) % list.length];

export class Layers {
  constructor(scene, fitting, onJob) {
    Object.assign(this, { scene, fitting, onJob, last: null, drag: null });
    document.body.addEventListener("pointerdown", (e) => this.down(e));
    document.body.addEventListener("pointermove", (e) => this.move(e));
    document.body.addEventListener("pointerup", (e) => this.up(e));
    document.body.addEventListener("focusin", (e) => {
      const band = e.target.closest?.(".band[data-layer]");
      if (band) this.last = band.dataset.part;
    });
    // The rows of the board that a layer is in.
    document.body.addEventListener("pointerover", (e) => {
      const part = e.target.closest?.(".band")?.dataset.part;
      for (const row of document.querySelectorAll("#board .row-name")) {
        row.classList.toggle("lit-row", part !== undefined && row.dataset.pair.split(",").includes(part));
      }
    });
    document.body.addEventListener("click", (e) => {
      const band = e.target.closest(".band");
      if (band) this.toggle(band);
    });
  }

  bands() {
    return [...document.querySelectorAll(".band[data-layer]")];
  }

  // The piece whose layer had the focus last.
  chosen() {
    return this.bands().find((b) => b.dataset.part === this.last);
  }

  toggle(band) {
    if (this.dragged) {
      this.dragged = false;
      return;
    }
    const part = Number(band.dataset.part);
    this.scene.setShown(part, NEXT[this.scene.shown.get(part) ?? "shown"]);
    this.mark();
  }

  // The panel is drawn anew after each step.
  mark() {
    for (const band of document.querySelectorAll(".band")) {
      const how = this.scene.shown.get(Number(band.dataset.part)) ?? "shown";
      band.classList.toggle("sheer", how === "sheer");
      band.classList.toggle("hidden-part", how === "hidden");
    }
  }

  down(e) {
    const band = e.target.closest?.(".band[data-layer]");
    this.dragged = false;
    if (!band || e.button !== 0) return;
    this.last = band.dataset.part;
    this.drag = { band, from: e.clientY };
  }

  move(e) {
    if (!this.drag) return;
    const by = e.clientY - this.drag.from;
    if (Math.abs(by) < 6 && !this.dragged) return;
    this.dragged = true;
    this.drag.band.classList.add("lifted");
    this.drag.band.setAttribute("transform", `translate(0 ${by})`);
  }

  // It goes over the band that is next beneath where it was let go.
  async up(e) {
    const drag = this.drag;
    this.drag = null;
    if (!drag || !this.dragged) return;
    const middle = (b) => {
      const box = b.querySelector(".shape").getBoundingClientRect();
      return box.top + box.height / 2;
    };
    const over = this.bands().find((b) => b !== drag.band && middle(b) > e.clientY);
    drag.band.removeAttribute("transform");
    drag.band.classList.remove("lifted");
    const list = this.bands();
    if (list[list.indexOf(drag.band) + 1] === over) return;
    await this.post(drag.band, { do: "put_over", over: over ? Number(over.dataset.part) : null });
  }

  async post(band, step) {
    this.onJob(await takeStep(this.fitting, { ...step, piece: Number(band.dataset.part) }));
  }

  nextKind() {
    const band = this.chosen();
    if (band) this.post(band, { do: "set_kind", kind: after(KINDS, band.dataset.kind) });
  }

  nextPlace() {
    const band = this.chosen();
    const places = document.getElementById("layers").dataset.places.split(",");
    if (band) this.post(band, { do: "set_place", place: after(places, band.dataset.place) });
  }

  moveBy(by) {
    const band = this.chosen();
    const layer = Number(band?.dataset.layer) + by;
    if (band && layer >= 1 && layer <= 99) this.post(band, { do: "move_to_layer", layer });
  }

  // The keys work on after the panel was drawn anew.
  keepFocus() {
    const lost = document.activeElement === document.body;
    if (lost && this.focused) this.chosen()?.focus();
  }

  noteFocus() {
    this.focused = Boolean(document.activeElement?.closest?.(".band"));
  }
}
