// Snags: those of the chosen cell, of a pose turned by hand, and the worst over all poses.
import { postForText } from "./ask.js";

export class Snags {
  // `stage` has scene and joints, and takes the view to a map (`setMap`) and a pose (`setPose`).
  constructor(fitting, stage) {
    Object.assign(this, { fitting, stage });
    document.body.addEventListener("htmx:afterSwap", (e) => {
      if (e.target.id === "snags") this.clearTheWay(e.target);
    });
  }

  // What lies over the chosen spot turns sheer by itself.
  clearTheWay(target) {
    const hiding = target.querySelector("[data-hiding]")?.dataset.hiding;
    this.stage.scene.setAutoSheer(hiding ? hiding.split(",").map(Number) : []);
  }

  load(pose, row) {
    const target = document.getElementById("snags");
    const url = `/fitting/${this.fitting}/snags?pose=${pose}&row=${row}`;
    if (target) htmx.ajax("GET", url, { target, source: target, swap: "innerHTML" });
  }

  // A pose turned by hand is measured where it is let go.
  async loadHere(request) {
    const target = document.getElementById("snags");
    if (!target || request.turns.length === 0) return;
    target.innerHTML = await postForText(`/fitting/${this.fitting}/snags-here`, request);
    htmx.process(target);
  }

  // What was pressed, when it is a snag or of one.
  press(target) {
    // A press of what can be done about it shows it, too.
    const worst = target.closest(".worst-snag");
    if (worst) this.seeWorst(worst, target.closest(".strip rect"), target.closest("[data-cause]"));
    const snag = target.closest(".snag");
    if (!snag) return;
    document.querySelectorAll(".snag").forEach((s) => s.classList.toggle("on", s === snag));
    this.stage.scene.seeSpot(snag.dataset.spot.split(",").map(Number));
  }

  // One of the worst: its place in its worst pose (or one picked on the strip), or what a joint does there.
  async seeWorst(card, bar, cause) {
    const { joints, scene } = this.stage;
    document.querySelectorAll(".worst-snag").forEach((s) => s.classList.toggle("on", s === card));
    joints.clear();
    const known = cause && joints.names.includes(cause.dataset.cause);
    this.showPair(card, known ? cause.dataset.cause : null);
    if (known) {
      this.stage.setMap("weights");
      joints.pickByName(cause.dataset.cause);
    } else {
      this.stage.setMap("clearance");
    }
    await this.stage.setPose(Number((bar ?? card).dataset.pose), card.querySelector(".soft").textContent);
    scene.seeSpot(card.dataset.spot.split(",").map(Number));
  }

  // What the joint moves of both layers, side by side.
  showPair(card, joint) {
    const pair = card.querySelector(".cause-pair");
    if (!pair) return;
    pair.hidden = joint === null;
    if (joint === null) return;
    const [outer, inner] = [...pair.querySelectorAll("figcaption span")].map((s) => s.textContent);
    const image = pair.querySelector("img");
    image.src = pair.dataset.src + encodeURIComponent(joint);
    image.alt = `Weights of ${joint} on ${outer} and on ${inner}`;
  }
}

// How the shown pose (or the pair of the chosen cell) counts: the next of counted, stress only, left aside.
export function countOtherwise(what) {
  const select = document.querySelector(`.counts-here form[data-what="${what}"] select`);
  if (!select) return;
  select.selectedIndex = (select.selectedIndex + 1) % select.options.length;
  select.dispatchEvent(new Event("change", { bubbles: true }));
}
