// The strip above the board: what the hand chooses with, and how what is chosen is moved.
import { postForPreview } from "./ask.js";
import { takeStep } from "./steps.js";

const field = (id) => document.getElementById(id);
const number = (id) => Number(field(id).value);

// What the fields of choosing by what matters begin with.
const USUAL = { joint: 0.5, strained: 25, nearer: 1, over_joints: 4 };
const UNITS = { around: "mm", rows: "rows" };

export class Tool {
  // `choosing` knows what is chosen; `stage` has scene, joints and `request()`; `onJob` watches.
  constructor(fitting, choosing, stage, onJob) {
    Object.assign(this, { fitting, choosing, stage, onJob });
    const tool = field("tool");
    tool.addEventListener("click", (e) => this.press(e));
    tool.addEventListener("change", (e) => this.changed(e));
    document.addEventListener("pointerdown", (e) => {
      if (!e.target.closest("#choose-more")) field("choose-more").open = false;
    });
    this.form = field("move-form");
    this.form.addEventListener("input", () => this.look());
    this.form.addEventListener("submit", (e) => {
      e.preventDefault();
      this.make();
    });
  }

  // The fitting has changed: the parts there are, and the shapes that can be changed.
  async mark(shapes) {
    this.choosing.setParts();
    const into = this.form.elements.into;
    const known = into.value;
    const options = shapes.map((name) => new Option(`the shape ${name}`, name));
    into.replaceChildren(new Option("its shape at rest", ""), ...options);
    into.value = shapes.includes(known) ? known : "";
    await this.choosing.ask();
  }

  press(e) {
    const reshape = e.target.closest("[data-reshape]")?.dataset.reshape;
    if (reshape) this.reshape(reshape);
    if (e.target.closest("#pick-on")) this.choosing.setMode("click");
    if (e.target.closest("#paint-on")) this.choosing.setMode("paint");
    if (e.target.closest("#lasso-on")) this.choosing.setMode("lasso");
    if (e.target.closest("#what-choose")) this.chooseWhat();
    if (e.target.closest("#patch-keep")) this.patch("keep_patch", field("patch-name").value);
    if (e.target.closest("#patch-drop")) this.patch("drop_patch", field("patch-pick").value);
  }

  changed(e) {
    const { id, value } = e.target;
    if (id === "hand-piece") {
      this.choosing.usePiece(value === "" ? null : Number(value));
      this.choosing.ask();
    }
    if (id === "pick-kind") {
      field("pick-unit").textContent = UNITS[value] ?? "";
      field("pick-size").parentElement.hidden = UNITS[value] === undefined;
      if (value === "rows") field("pick-size").value = "1";
      this.choosing.first = null;
    }
    if (id === "what-kind") {
      field("what-size").disabled = USUAL[value] === undefined;
      if (USUAL[value] !== undefined) field("what-size").value = USUAL[value];
    }
    if (id === "patch-pick" && value) this.choosing.setPicks([{ what: { patch: value } }]);
    if (id === "more-pick" && value) this.choosing.add(JSON.parse(value));
  }

  // What the picks come to: what else could be chosen there.
  show(found) {
    const options = ["kept patches", ...found.patches].map((name, i) => new Option(name, i === 0 ? "" : name));
    const chosen = field("patch-pick").value;
    field("patch-pick").replaceChildren(...options);
    field("patch-pick").value = found.patches.includes(chosen) ? chosen : "";
    const more = found.more.map(([words, what]) => new Option(words, JSON.stringify(what)));
    field("more-pick").replaceChildren(new Option("a snag, or where a patch of another piece is", ""), ...more);
    field("more-pick").hidden = more.length === 0;
  }

  chooseWhat() {
    if (this.choosing.piece !== null) this.choosing.add(this.what());
  }

  // What matters, as the strip says it.
  what() {
    const size = number("what-size");
    const kind = field("what-kind").value;
    switch (kind) {
      case "joint": return { joint: { joint: this.stage.joint(), over: size } };
      case "strained": return { strained: { by: size / 100 } };
      case "nearer": return { nearer: { mm: size } };
      case "over_joints": return { over_joints: Math.round(size) };
      case "left":
      case "centre":
      case "right": return { side: kind };
      case "outside_wall":
      case "inside_wall": return { wall: { outside: kind === "outside_wall" } };
      default: return kind;
    }
  }

  reshape(how) {
    const { picks } = this.choosing;
    const by = number("grow-by");
    const wider = (sign) => {
      return field("grow-unit").value === "mm" ? { wider: { mm: sign * by } } : { rings: sign * Math.round(by) };
    };
    const more = { grow: wider(1), shrink: wider(-1), invert: "invert", mirrored: "mirrored" }[how];
    if (how === "none") this.choosing.setPicks([]);
    else if (how === "back") this.choosing.setPicks(picks.slice(0, -1));
    else if (this.choosing.piece !== null) this.choosing.setPicks([...picks, { what: more }]);
  }

  async patch(how, name) {
    const { piece, picks } = this.choosing;
    this.onJob(await takeStep(this.fitting, { do: how, piece: piece ?? 0, name, picks }));
  }

  // How what is chosen is moved, as the form says it.
  asked() {
    const { elements } = this.form;
    const three = (name) => [...elements[name]].map((input) => Number(input.value));
    const size = Number(elements.size.value);
    const options = {
      shift_mm: three("shift"),
      turn_degrees: three("turn"),
      size_percent: [size, size, size],
      off_mm: Number(elements.off.value),
      fade_mm: Number(elements.fade.value),
      fade: elements.profile.value,
      both_sides: elements.both.checked,
    };
    const { pose, turns, shapes } = this.stage.request();
    const in_pose = elements["in-pose"].checked ? { pose, turns, shapes } : null;
    return { chosen: { picks: this.choosing.picks }, options, in_pose, into_shape: elements.into.value || null };
  }

  moves() {
    const { shift_mm, turn_degrees, size_percent, off_mm } = this.asked().options;
    return [...shift_mm, ...turn_degrees, off_mm].some((n) => n !== 0) || size_percent[0] !== 100;
  }

  // What it would do is shown while its numbers are set; the newest are what is asked.
  async look() {
    const { piece, count } = this.choosing;
    this.again = true;
    if (this.looking) return;
    this.looking = true;
    try {
      while (this.again && this.moves() && piece > 0 && count > 0) {
        this.again = false;
        const url = `/fitting/${this.fitting}/move-view/${piece}`;
        const { parts, figures } = await postForPreview(url, this.asked());
        this.stage.scene.setView(parts, "clearance");
        this.tell(figures);
      }
    } finally {
      this.looking = false;
    }
  }

  tell({ before, after }) {
    const mm = (u) => u.deepest_mm.toFixed(1);
    field("move-told").textContent =
      `here ${before.sunk} → ${after.sunk} through, ${mm(before)} → ${mm(after)} mm`;
  }

  async make() {
    const { piece } = this.choosing;
    const job = await takeStep(this.fitting, { do: "move_chosen", piece: piece ?? 0, ...this.asked() });
    const { shift, turn, size, off } = this.form.elements;
    [...shift, ...turn, off].forEach((input) => { input.value = "0"; });
    size.value = "100";
    field("move-told").textContent = "";
    this.onJob(job);
  }
}
