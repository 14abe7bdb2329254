// Plays the poses of a group: they are fetched once, and drawn on the card as time goes. At half or quarter speed, a
// stretch again and again, a frame at a time, with the view going along.
import { getBytes, readPoses } from "./ask.js";

const SOON = 1e-4;

export class Player {
  // `show` is told each frame that is drawn, `tried` each tried pose that is passed; `isOut` says of a tried pose
  // whether anything is out of tolerance in it.
  constructor(fitting, show, tried, isOut) {
    Object.assign(this, { fitting, show, tried, isOut, group: null, frames: [], poses: [], at: 0, running: false });
    const part = (id) => document.getElementById(id);
    this.button = part("play");
    this.bar = part("play-at");
    this.time = part("play-time");
    this.speed = part("play-speed");
    this.marks = part("play-marks");
    this.stretch = { from: null, to: null };
    this.button.addEventListener("click", () => this.toggle());
    this.bar.addEventListener("input", () => this.seek(Number(this.bar.value)));
    this.bar.addEventListener("change", () => this.rest());
    part("frame-back").addEventListener("click", () => this.frameBy(-1));
    part("frame-on").addEventListener("click", () => this.frameBy(1));
    for (const end of ["from", "to"]) part(`play-${end}`).addEventListener("click", () => this.markEnd(end));
  }

  // The group of the pose that is looked at, and where its tried poses are in time.
  follow(group, time, poses) {
    if (group !== this.group || poses.length !== this.poses.length) {
      Object.assign(this, { group, poses, frames: [], passed: null, stretch: { from: null, to: null } });
      this.stop();
    }
    document.getElementById("player").hidden = poses.length < 2;
    this.poses = poses;
    this.bar.max = poses[poses.length - 1].time;
    this.at = time;
    this.tell();
    this.mark();
  }

  get end() {
    return Math.max(Number(this.bar.max), SOON);
  }

  async load() {
    if (this.frames.length > 0) return;
    const group = this.group;
    const frames = readPoses(await getBytes(`/fitting/${this.fitting}/played?group=${encodeURIComponent(group)}`));
    if (group === this.group) this.frames = frames;
  }

  async toggle() {
    if (this.running) {
      this.rest();
      return;
    }
    await this.load();
    if (this.frames.length < 2) return;
    this.running = true;
    this.button.setAttribute("aria-pressed", "true");
    let last = performance.now();
    const step = (now) => {
      if (!this.running) return;
      this.at = this.within(this.at + ((now - last) / 1000) * Number(this.speed.value));
      last = now;
      this.draw();
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  // A time within the stretch that is played, from its beginning again once it is past its end.
  within(time) {
    const from = this.stretch.from ?? 0;
    const to = Math.max(this.stretch.to ?? this.end, from + SOON);
    return time > to || time < from ? from : time;
  }

  // The stretch begins or ends here; where it does so already it does no longer.
  markEnd(end) {
    const known = this.stretch[end];
    this.stretch[end] = known !== null && Math.abs(known - this.at) < SOON ? null : this.at;
    const { from, to } = this.stretch;
    if (from !== null && to !== null && to <= from) this.stretch[end === "from" ? "to" : "from"] = null;
    this.mark();
  }

  async seek(time) {
    this.stop();
    await this.load();
    this.at = time;
    this.draw();
  }

  // The frame before the one that is drawn, or the one behind it; a tried pose that is met is measured.
  async frameBy(by) {
    this.stop();
    await this.load();
    const last = this.frames.length - 1;
    const next = this.frames[Math.min(Math.max(this.number() + by, 0), last)];
    if (!next) return;
    this.at = next.time;
    this.draw();
    const met = this.poses.find((p) => Math.abs(p.time - next.time) < SOON);
    if (met) this.tried(met.pose, true);
  }

  stop() {
    this.running = false;
    this.button.setAttribute("aria-pressed", "false");
  }

  // Comes to rest on the tried pose that is nearest: that one is measured.
  rest() {
    this.stop();
    const nearest = this.poses.reduce((a, b) => (Math.abs(b.time - this.at) < Math.abs(a.time - this.at) ? b : a));
    this.passed = null;
    this.tried(nearest.pose, true);
  }

  number() {
    const after = this.frames.findIndex((f) => f.time > this.at + SOON);
    return Math.max((after < 0 ? this.frames.length : after) - 1, 0);
  }

  draw() {
    this.show(this.frames[this.number()]);
    this.tell();
    const passed = this.poses.filter((p) => p.time <= this.at + 1e-3).pop() ?? this.poses[0];
    if (passed.pose !== this.passed) {
      this.passed = passed.pose;
      this.tried(passed.pose, false);
    }
  }

  tell() {
    this.bar.value = String(this.at);
    this.time.textContent = `${this.at.toFixed(2)} s`;
  }

  // Beneath the bar: the tried poses in which something is out of tolerance, and the stretch that is played.
  mark() {
    const { from, to } = this.stretch;
    for (const end of ["from", "to"]) {
      document.getElementById(`play-${end}`).setAttribute("aria-pressed", this.stretch[end] !== null);
    }
    const place = (kind, time, until) => {
      const mark = document.createElement("i");
      mark.className = kind;
      mark.style.left = `${(100 * time) / this.end}%`;
      if (until !== undefined) mark.style.width = `${(100 * (until - time)) / this.end}%`;
      return mark;
    };
    const out = this.poses.filter((p) => this.isOut(p.pose)).map((p) => place("out", p.time));
    const stretch = from === null && to === null ? [] : [place("stretch", from ?? 0, to ?? this.end)];
    this.marks.replaceChildren(...stretch, ...out);
    this.marks.title = out.length === 0 ? "" : `out of tolerance in ${out.length} of ${this.poses.length} tried frames`;
  }
}
