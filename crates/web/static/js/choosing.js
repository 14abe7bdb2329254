// Choosing vertices of a part in the viewport: by a click, by painting, or by a line drawn round them. What is chosen
// is a row of picks; what they come to the server says. It stays while stations change, and when the page is read
// again.
import { postForJson } from "./ask.js";

const field = (id) => document.getElementById(id);
const NS = "http://www.w3.org/2000/svg";
const MODES = { click: "pick-on", paint: "paint-on", lasso: "lasso-on" };

export class Choosing {
  // `stage` has scene, `request()`, `parts()` and `probe(x, y, piece)`; `onChosen` is told what the picks come to.
  constructor(canvas, fitting, stage, onChosen) {
    Object.assign(this, { canvas, fitting, stage, onChosen, mode: null, way: null });
    this.forget(null);
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

  get key() {
    return `chosen ${this.fitting}`;
  }

  // What was chosen when the page was left.
  recall() {
    const kept = JSON.parse(sessionStorage.getItem(this.key) ?? "null");
    if (!kept || !this.stage.parts().some((p) => p.id === kept.piece)) return Promise.resolve();
    Object.assign(this, kept);
    field("hand-piece").value = kept.piece ?? "";
    return this.ask();
  }

  keep() {
    sessionStorage.setItem(this.key, JSON.stringify({ piece: this.piece, picks: this.picks }));
  }

  // The parts to choose on, as the fitting has them now; what is chosen on one that is gone is gone.
  setParts() {
    const parts = [...this.stage.parts()].reverse();
    const options = parts.map((p) => new Option(p.name, p.id));
    field("hand-piece").replaceChildren(new Option("nothing", ""), ...options);
    if (!parts.some((p) => p.id === this.piece)) this.forget(null);
    field("hand-piece").value = this.piece ?? "";
  }

  // Nothing of a part is chosen.
  forget(piece) {
    Object.assign(this, { piece, picks: [], count: 0, middle: null });
  }

  usePiece(piece) {
    if (this.piece !== null) this.stage.scene.setChosen(this.piece, []);
    this.forget(piece);
    field("hand-piece").value = piece ?? "";
    this.keep();
  }

  // "click", "paint", "lasso" or nothing.
  setMode(mode) {
    this.mode = this.mode === mode ? null : mode;
    this.first = null;
    if (this.mode && this.piece === null) {
      const [outermost] = field("hand-piece").querySelectorAll("option:not([value=''])");
      if (outermost) this.usePiece(Number(outermost.value));
    }
    this.mark();
  }

  mark() {
    for (const [mode, id] of Object.entries(MODES)) field(id).setAttribute("aria-pressed", this.mode === mode);
    this.canvas.classList.toggle("choosing", this.mode !== null);
    this.stage.scene.turnByRight("choosing", this.mode !== null);
    const way = this.mode === null && this.picks.length === 0 ? null : this.piece;
    if (way !== this.way) this.stage.clearTheWay(way);
    this.way = way;
  }

  // Shift held it does the other of adding and taking away.
  how(e) {
    const how = field("pick-how").value;
    return e?.shiftKey ? ({ add: "take", take: "add" }[how] ?? how) : how;
  }

  add(what, e) {
    return this.setPicks([...this.picks, { how: this.how(e), what }]);
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

  async found(picks) {
    const asked = { picks, view: this.stage.request() };
    return postForJson(`/fitting/${this.fitting}/choose/${this.piece}`, asked);
  }

  // What the picks come to, of the fitting as it stands.
  async ask() {
    if (this.piece === null) {
      field("chosen-count").textContent = "nothing chosen";
      this.mark();
      return;
    }
    try {
      this.show(await this.found(this.picks));
    } catch (e) {
      // Refused and shown: the pick that did it goes.
      this.picks = this.picks.slice(0, -1);
    }
    this.keep();
    this.mark();
  }

  show(found) {
    this.picks = found.picks;
    this.count = found.count;
    this.middle = found.middle;
    field("chosen-count").textContent = found.count === 0 ? "nothing chosen" : `${found.count} vertices chosen`;
    this.stage.scene.setChosen(this.piece, found.drawn);
    this.onChosen(found);
  }

  async down(e) {
    if (!this.mode || e.button !== 0) return;
    e.stopImmediatePropagation();
    if (this.mode !== "click") this.canvas.setPointerCapture(e.pointerId);
    if (this.mode === "lasso") {
      this.corners = [[e.offsetX, e.offsetY]];
      return;
    }
    if (this.mode === "paint") {
      this.painted = { dabs: [], how: this.how(e) };
      await this.paint(e);
      return;
    }
    const found = await this.stage.probe(e.clientX, e.clientY, this.piece);
    if (!found || found.part !== this.piece) return;
    const what = this.clickedWhat(found);
    if (what) await this.add(what, e);
  }

  // What a click means; the first of two means nothing yet.
  clickedWhat({ vertex, edge }) {
    const size = Number(field("pick-size").value);
    switch (field("pick-kind").value) {
      case "around": return { around: { radius_mm: size, dabs: [vertex], mirrored: false } };
      case "edge": return { vertices: edge };
      case "loop": return { loop: edge };
      case "rows": return { rows: { vertex, rows: Math.round(size) } };
      case "part": return { part: vertex };
      case "material": return { material: vertex };
      case "way": return this.secondOf(vertex, (first) => ({ way: [first, vertex] }));
      default: return this.secondOf(edge, (first) => ({ between: [first, edge] }));
    }
  }

  secondOf(clicked, both) {
    const first = this.first;
    this.first = first === null ? clicked : null;
    return first === null ? null : both(first);
  }

  // Where the brush goes along the cloth; one question at a time, the newest place is kept.
  async paint(e) {
    this.wish = [e.clientX, e.clientY];
    if (this.asking) return;
    this.asking = true;
    try {
      while (this.wish) {
        const [x, y] = this.wish;
        this.wish = null;
        const found = await this.stage.probe(x, y, this.piece);
        if (found?.part !== this.piece || this.painted.dabs.includes(found.vertex)) continue;
        this.painted.dabs.push(found.vertex);
        this.stage.scene.setChosen(this.piece, (await this.found([...this.picks, this.stroke()])).drawn);
      }
    } finally {
      this.asking = false;
      if (this.painted?.ended) await this.endPaint();
    }
  }

  stroke() {
    const reach = { radius_mm: Number(field("pick-size").value), dabs: this.painted.dabs, mirrored: false };
    return { how: this.painted.how, what: { around: reach } };
  }

  async endPaint() {
    const stroke = this.stroke();
    this.painted = null;
    if (stroke.what.around.dabs.length > 0) await this.setPicks([...this.picks, stroke]);
  }

  move(e) {
    if (this.painted && !this.painted.ended) {
      e.stopImmediatePropagation();
      this.paint(e);
      return;
    }
    if (!this.corners) return;
    e.stopImmediatePropagation();
    const last = this.corners[this.corners.length - 1];
    if (Math.hypot(e.offsetX - last[0], e.offsetY - last[1]) < 4) return;
    this.corners.push([e.offsetX, e.offsetY]);
    this.line.firstChild.setAttribute("points", this.corners.map((c) => c.join(",")).join(" "));
  }

  up(e) {
    if (this.painted) {
      e.stopImmediatePropagation();
      this.painted.ended = true;
      if (!this.asking) this.endPaint();
      return;
    }
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
    this.add({ lasso: { line, ...this.stage.scene.seenThrough(), through: field("pick-through").checked } }, e);
  }
}
