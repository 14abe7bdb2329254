// Choosing vertices of a piece in the viewport: by a click, or by a line drawn round them. What is chosen is a row
// of picks; what they come to the server says.
import { postForJson } from "./ask.js";

const field = (id) => document.getElementById(id);
const NS = "http://www.w3.org/2000/svg";

export class Choosing {
  // `stage` has scene, `request()` and `probe(x, y, hidden)`; `onChosen` is told what the picks come to.
  constructor(canvas, fitting, stage, onChosen) {
    Object.assign(this, { canvas, fitting, stage, onChosen, picks: [], mode: null, piece: null, way: null });
    this.line = document.createElementNS(NS, "svg");
    this.line.setAttribute("class", "lasso");
    this.line.append(document.createElementNS(NS, "polygon"));
    canvas.parentElement.append(this.line);
    // A form that works on what is chosen sends it along.
    document.body.addEventListener("htmx:configRequest", (e) => {
      const { parameters, elt } = e.detail;
      const pieces = [parameters.piece ?? elt.closest("form")?.dataset.piece].flat().map(Number);
      if (!parameters.chosen || !pieces.includes(this.piece)) return;
      parameters.picks = JSON.stringify(this.picks);
    });
    canvas.addEventListener("pointerdown", (e) => this.down(e), true);
    canvas.addEventListener("pointermove", (e) => this.move(e), true);
    canvas.addEventListener("pointerup", (e) => this.up(e), true);
  }

  // "click", "lasso" or nothing.
  setMode(mode) {
    this.mode = this.mode === mode ? null : mode;
    this.first = null;
    this.mark();
  }

  // The panels are drawn anew after each step: they must say what is so.
  mark() {
    if (!field("by-hand")) this.mode = null;
    field("pick-on")?.setAttribute("aria-pressed", this.mode === "click");
    field("lasso-on")?.setAttribute("aria-pressed", this.mode === "lasso");
    this.canvas.classList.toggle("choosing", this.mode !== null);
    const way = this.mode === null && this.picks.length === 0 ? null : this.piece;
    if (way !== this.way) this.stage.clearTheWay(way);
    this.way = way;
  }

  add(what) {
    return this.setPicks([...this.picks, { how: field("pick-how").value, what }]);
  }

  // What is picked on a piece; none where another one is worked on.
  picksOn(piece) {
    return piece === this.piece ? this.picks : [];
  }

  // What a step on a piece is told of it; nothing while nothing is chosen there.
  chosenOn(piece) {
    return piece === this.piece && this.picks.length > 0 ? { picks: this.picks } : null;
  }

  async setPicks(picks) {
    this.picks = picks;
    await this.ask();
  }

  // What the picks come to, of the fitting as it stands.
  async ask() {
    if (this.piece === null) return;
    const asked = { picks: this.picks, view: this.stage.request() };
    try {
      const found = await postForJson(`/fitting/${this.fitting}/choose/${this.piece}`, asked);
      this.picks = found.picks;
      this.stage.scene.setChosen(this.piece, found.drawn);
      this.onChosen(found);
    } catch (e) {
      // Refused and shown: the pick that did it goes.
      this.picks = this.picks.slice(0, -1);
    }
    this.mark();
  }

  async down(e) {
    if (!this.mode || e.button !== 0) return;
    e.stopImmediatePropagation();
    if (this.mode === "lasso") {
      this.canvas.setPointerCapture(e.pointerId);
      this.corners = [[e.offsetX, e.offsetY]];
      return;
    }
    const found = await this.stage.probe(e.clientX, e.clientY, this.piece);
    if (!found || found.part !== this.piece) return;
    const what = this.clickedWhat(found);
    if (what) await this.add(what);
  }

  // What a click means; the first of two loops means nothing yet.
  clickedWhat({ vertex, edge }) {
    const size = Number(field("pick-size").value);
    switch (field("pick-kind").value) {
      case "around": return { around: { radius_mm: size, dabs: [vertex], mirrored: false } };
      case "edge": return { vertices: edge };
      case "loop": return { loop: edge };
      case "rows": return { rows: { vertex, rows: Math.round(size) } };
      case "part": return { part: vertex };
      default: {
        const first = this.first;
        this.first = first ? null : edge;
        return first ? { between: [first, edge] } : null;
      }
    }
  }

  move(e) {
    if (!this.corners) return;
    e.stopImmediatePropagation();
    const last = this.corners[this.corners.length - 1];
    if (Math.hypot(e.offsetX - last[0], e.offsetY - last[1]) < 4) return;
    this.corners.push([e.offsetX, e.offsetY]);
    this.line.firstChild.setAttribute("points", this.corners.map((c) => c.join(",")).join(" "));
  }

  up(e) {
    if (!this.corners) return;
    e.stopImmediatePropagation();
    let corners = this.corners;
    this.corners = null;
    this.line.firstChild.removeAttribute("points");
    // Hardly drawn at all it is a box between its ends.
    if (corners.length < 3) {
      const [[x, y], [u, v]] = [corners[0], [e.offsetX, e.offsetY]];
      corners = [[x, y], [u, y], [u, v], [x, v]];
    }
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const line = corners.slice(0, 2000).map(([x, y]) => [(x / w) * 2 - 1, 1 - (y / h) * 2]);
    this.add({ lasso: { line, ...this.stage.scene.seenThrough(), through: field("pick-through").checked } });
  }
}
