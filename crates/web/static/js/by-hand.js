// Weights by hand: the card's presses and keys, the joints of what is chosen, and the brush on weights.
import { postForPreview } from "./ask.js";
import { Line } from "./line.js";
import { startStep } from "./steps.js";
import { WeightTable } from "./weight-table.js";

const field = (id) => document.getElementById(id);
const number = (id) => Number(field(id).value);
const named = (id) => field(id).value.split(",").map((name) => name.trim()).filter((name) => name !== "");

export class ByHand {
  // `choosing` knows what is chosen; `stage` has scene, joints, `request()`, `probe`, `show(joint)`; `locks` knows the
  // joints that stay; `onJob` watches.
  constructor(canvas, fitting, choosing, stage, locks, onJob) {
    Object.assign(this, { canvas, fitting, choosing, stage, locks, onJob, brushing: false, clicked: null });
    this.typed = new Map();
    this.line = new Line(canvas, choosing, stage, () => this.markLine());
    const where = () => ({ url: `/fitting/${fitting}/by-hand-table/${choosing.piece}`, locked: locks.list });
    this.table = new WeightTable(where, onJob);
    document.body.addEventListener("click", (e) => this.press(e));
    document.body.addEventListener("change", (e) => this.changed(e));
    document.body.addEventListener("toggle", (e) => {
      if (e.target.id === "by-hand" && e.target.open) this.opened();
      else if (e.target.id === "by-hand") this.stop();
    }, true);
    canvas.addEventListener("pointerdown", (e) => this.down(e), true);
    canvas.addEventListener("pointermove", (e) => this.move(e), true);
    canvas.addEventListener("pointerup", (e) => this.up(e), true);
  }

  get isOpen() {
    return field("by-hand")?.open === true;
  }

  // The panels are new: the same choice as the fitting is now.
  mark() {
    if (!this.isOpen) {
      this.stop();
      return;
    }
    this.restore();
    this.markJoint();
    this.markLine();
    this.markAdjust();
    this.locks.mark();
    this.drawFallOff();
    field("hand-brush").setAttribute("aria-pressed", this.brushing);
  }

  // Opened it works on a bound piece: the one that is chosen on, or the first.
  opened() {
    const bound = this.stage.parts().find((p) => p.bound && p.id !== 0);
    if (this.choosing.piece === null && bound) this.choosing.usePiece(bound.id);
    this.mark();
    return this.choosing.ask();
  }

  // What was typed and ticked before the panels were drawn anew.
  restore() {
    for (const [id, value] of this.typed) {
      const input = field(id);
      if (input) input[input.type === "checkbox" ? "checked" : "value"] = value;
    }
  }

  // A place that was clicked without choosing: weights are copied from it.
  note(found) {
    if (found && found.part === this.choosing.piece) this.clicked = found.vertex;
  }

  markLine() {
    if (!this.isOpen) return;
    field("line-on").setAttribute("aria-pressed", this.line.on);
    const { ends } = this.line;
    const mm = () => Math.round(ends.points[0].distanceTo(ends.points[1]) * 1000);
    field("line-told").textContent = this.line.vertices ? `a line of ${mm()} mm` : "no line yet";
  }

  stop() {
    this.brushing = false;
    if (this.line.on) this.line.toggle();
    this.stage.scene.turnByRight("weights", false);
    this.canvas.classList.remove("brushing");
  }

  // How the brush falls off from its middle to its edge.
  drawFallOff() {
    const firm = number("hand-firm") / 100;
    const at = (r) => (1 - Math.min(Math.max((r - firm) / Math.max(1 - firm, 1e-6), 0), 1) ** 2) ** 2;
    const points = Array.from({ length: 45 }, (_, x) => `${x} ${(17 - 16 * at(Math.abs(x / 22 - 1))).toFixed(1)}`);
    document.querySelector("#fall-off path").setAttribute("d", `M${points.join("L")}`);
  }

  markJoint() {
    const label = field("hand-joint");
    if (label) label.textContent = this.joint();
  }

  joint() {
    return this.stage.joints.names?.[this.stage.joints.joint] ?? "";
  }

  // What the picks come to: who moves it.
  show(found) {
    if (this.of !== this.choosing.piece) this.clicked = null;
    this.of = this.choosing.piece;
    this.found = found;
    this.table.set(found.table);
    if (!this.isOpen) return;
    const rows = found.joints.slice(0, 12).map((row) => this.jointRow(row));
    field("hand-joints").tBodies[0].replaceChildren(...rows);
  }

  jointRow([name, mean, least, most]) {
    const row = document.createElement("tr");
    const pick = document.createElement("button");
    Object.assign(pick, { type: "button", textContent: name, title: "Show and change its weights" });
    pick.dataset.handJoint = name;
    const lock = Object.assign(document.createElement("input"), { type: "checkbox", title: "Keeps its weights" });
    lock.checked = this.locks.has(name);
    lock.dataset.lock = name;
    lock.setAttribute("aria-label", `${name} keeps its weights`);
    const cells = [pick, mean.toFixed(2), least.toFixed(2), most.toFixed(2), lock];
    for (const cell of cells) {
      const td = document.createElement("td");
      td.append(cell);
      row.append(td);
    }
    row.classList.toggle("on", name === this.joint());
    return row;
  }

  changed(e) {
    const { id, type, checked, value } = e.target;
    if (id && e.target.closest("#by-hand")) this.typed.set(id, type === "checkbox" ? checked : value);
    if (id === "hand-firm") this.drawFallOff();
    const lock = e.target.dataset?.lock;
    if (lock) this.locks.set(lock, e.target.checked);
    if (id === "adjust-amount" || id === "adjust-times") this.adjust();
  }

  press(e) {
    if (!this.isOpen) return;
    const hand = e.target.closest("[data-hand]")?.dataset.hand;
    if (hand) this.change(hand);
    const joint = e.target.closest("[data-hand-joint]")?.dataset.handJoint;
    if (joint) this.stage.show(joint);
    if (e.target.closest("#hand-brush")) this.toggleBrush();
    if (e.target.closest("#table-show")) this.table.show();
    if (e.target.closest("#joint-flip")) this.flip();
    if (e.target.closest("#hand-again")) this.again();
    if (e.target.closest("#line-on")) this.line.toggle();
  }

  // A change of the card in words of the server; nothing when it needs something that is not there.
  changeOf(kind, amount = number("hand-amount")) {
    const joint = this.joint();
    const other = field("hand-other").value.trim();
    const rest = field("hand-rest").value === "joint" ? { joint: other } : field("hand-rest").value;
    const give = (how) => ({ give: { joint, amount: how, rest } });
    switch (kind) {
      case "add": return give({ add: amount });
      case "take": return give({ add: -amount });
      case "set": return give({ set: amount });
      case "times": return give({ times: amount });
      case "move": return { move: { from: joint, to: other, both: false } };
      case "exchange": return { move: { from: joint, to: other, both: true } };
      case "smooth": return this.smoothOf([joint, ...named("smooth-joints")]);
      case "smooth_all": return this.smoothOf([]);
      case "harden": return { harden: { strength: number("smooth-strength") } };
      case "mean": return "mean";
      case "copy": return this.clicked === null ? null : { copy: { vertex: this.clicked } };
      case "refill": return "refill";
      case "taken_from": {
        const of = field("taken-joint").checked ? { joint } : {};
        return { taken_from: { part: number("taken-from"), share: amount, ...of } };
      }
      case "beneath": return { beneath: { share: amount, fade_mm: number("beneath-fade") } };
      case "crease_along": {
        const over = field("crease-over").value;
        return { crease_along: { near: joint, far: other, width_mm: number("crease-width"), over } };
      }
      case "crease": return this.creaseOf(joint, other);
      case "gradient": {
        const amounts = [number("gradient-from"), number("gradient-to")];
        return this.alongLine((line) => ({ gradient: { joint, amounts, rest, ...line } }));
      }
      default: return this.alongLine((line) => ({ fade: { from: joint, to: other, ...line } }));
    }
  }

  alongLine(made) {
    const ends = this.line.vertices;
    const along = field("fade-along").value;
    const how = { along_surface: along === "surface", along_rows: along === "rows" };
    return ends && made({ ends, ...how, profile: field("fade-ends").value });
  }

  smoothOf(joints) {
    return { smooth: { joints, strength: number("smooth-strength"), times: number("smooth-times") } };
  }

  creaseOf(near, far) {
    const ends = this.line.vertices;
    const over = field("crease-over").value;
    return ends && { crease: { near, far, ends, width_mm: number("crease-width"), over } };
  }

  // Between the two joints that are worked with.
  flip() {
    const other = field("hand-other").value.trim();
    if (!other) return;
    field("hand-other").value = this.joint();
    this.typed.set("hand-other", this.joint());
    this.stage.show(other);
  }

  // The last change, on what is chosen now.
  async again() {
    if (this.last) await this.make({ picks: this.choosing.picks, change: this.last });
  }

  say(text) {
    field("hand-said").textContent = text;
    field("hand-said").hidden = text === "";
  }

  async change(kind, amount) {
    const change = this.changeOf(kind, amount);
    const first = kind === "copy" ? "Click a place on the piece first, with Click above off." : "Draw the line first.";
    this.say(change ? "" : first);
    if (!change) return;
    this.last = change;
    await this.make({ picks: this.choosing.picks, change });
  }

  async make(asked) {
    const { picks, brush, change, firm_percent } = asked;
    const step = {
      do: "clean",
      piece: this.choosing.piece,
      clean: { how: "by_hand", change, firm_percent },
      chosen: brush ? { around: brush } : { picks },
      locked: this.locks.list,
    };
    await this.take(step);
  }

  async take(step, insteadOf) {
    const started = await startStep(this.fitting, step, insteadOf);
    this.made = { step, number: started.step };
    this.markAdjust();
    this.onJob(started.job);
  }

  // How much the last change is of what can be adjusted, and how often it smooths.
  get adjustable() {
    const change = this.made?.step.clean.change ?? {};
    const [kind, says] = typeof change === "string" ? [change, {}] : (Object.entries(change)[0] ?? ["", {}]);
    if (kind === "give") {
      const [how, amount] = Object.entries(says.amount)[0];
      return { amount: Math.abs(amount), put: (to) => { says.amount = { [how]: amount < 0 ? -to : to }; } };
    }
    const name = { smooth: "strength", harden: "strength", beneath: "share", taken_from: "share" }[kind];
    if (!name) return null;
    return { amount: says[name], times: says.times, put: (to, times) => {
      says[name] = to;
      if (says.times !== undefined) says.times = times;
    } };
  }

  markAdjust() {
    if (!this.isOpen) return;
    const { adjustable } = this;
    field("hand-adjust").toggleAttribute("hidden", !adjustable);
    if (!adjustable) return;
    field("adjust-amount").value = adjustable.amount;
    field("adjust-told").textContent = Number(adjustable.amount).toFixed(2);
    field("adjust-times-of").toggleAttribute("hidden", adjustable.times === undefined);
    field("adjust-times").value = adjustable.times ?? 1;
  }

  // The last change with another amount, in its place.
  async adjust() {
    this.adjustable?.put(number("adjust-amount"), number("adjust-times"));
    await this.take(this.made.step, this.made.number);
  }

  toggleBrush() {
    this.brushing = !this.brushing;
    this.choosing.mode = null;
    this.choosing.mark();
    this.stage.scene.turnByRight("weights", this.brushing);
    field("hand-brush").setAttribute("aria-pressed", this.brushing);
    this.canvas.classList.toggle("brushing", this.brushing);
    if (this.brushing) this.stage.show(this.joint());
  }

  // A stroke: its dabs are gathered and shown as they fall, and are one step where it ends.
  stroke() {
    const brush = { radius_mm: number("hand-radius"), dabs: this.dabs, mirrored: field("hand-mirrored").checked };
    const amount = number("hand-amount") * this.pressure;
    const change = this.changeOf(field("hand-brush-kind").value, amount);
    return { brush, firm_percent: number("hand-firm"), change };
  }

  async down(e) {
    if (!this.brushing || !this.isOpen || e.button !== 0) return;
    e.stopImmediatePropagation();
    if (this.asking) return;
    this.canvas.setPointerCapture(e.pointerId);
    Object.assign(this, { dabs: [], drawing: true, wish: [e.clientX, e.clientY], pressure: 1 });
    await this.dab();
  }

  move(e) {
    if (!this.drawing) return;
    e.stopImmediatePropagation();
    this.wish = [e.clientX, e.clientY];
    // A pen says how hard it is pressed: the mean of the stroke so far.
    if (e.pointerType === "pen") this.pressure += (e.pressure - this.pressure) / (this.dabs.length + 1);
    this.dab();
  }

  up(e) {
    if (!this.drawing) return;
    e.stopImmediatePropagation();
    this.drawing = false;
    if (!this.asking) this.send();
  }

  // One question at a time; the newest place is kept.
  async dab() {
    if (this.asking) return;
    this.asking = true;
    const url = `/fitting/${this.fitting}/by-hand-view/${this.choosing.piece}`;
    try {
      while (this.wish) {
        const [x, y] = this.wish;
        this.wish = null;
        const found = await this.stage.probe(x, y, this.choosing.piece);
        if (!found || found.part !== this.choosing.piece || this.dabs.includes(found.vertex)) continue;
        this.dabs.push(found.vertex);
        const view = this.stage.request();
        const body = { ...this.stroke(), locked: this.locks.list, view };
        const { parts, figures } = await postForPreview(url, body);
        this.stage.scene.setView(parts, view.map);
        this.say(figures[0] ?? "");
      }
    } catch (e) {
      // Refused, and shown: the dab that did it goes.
      this.dabs.pop();
    } finally {
      this.asking = false;
      if (!this.drawing) this.send();
    }
  }

  send() {
    const dabs = this.dabs;
    if (dabs.length > 0) this.make(this.stroke());
    this.dabs = [];
  }
}
