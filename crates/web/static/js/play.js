// Plays the poses of a group: they are fetched once, and drawn on the card as time goes.
import { getBytes, readPoses } from "./ask.js";

export class Player {
  // `show` is told each frame that is drawn, `tried` each tried pose that is passed.
  constructor(fitting, show, tried) {
    Object.assign(this, { fitting, show, tried, group: null, frames: [], at: 0, running: false });
    this.button = document.getElementById("play");
    this.bar = document.getElementById("play-at");
    this.time = document.getElementById("play-time");
    this.button.addEventListener("click", () => this.toggle());
    this.bar.addEventListener("input", () => this.seek(Number(this.bar.value)));
    this.bar.addEventListener("change", () => this.rest());
  }

  // The group of the pose that is looked at, and where its tried poses are in time.
  follow(group, time, poses) {
    if (group !== this.group || poses.length !== this.poses.length) {
      Object.assign(this, { group, poses, frames: [], passed: null });
      this.stop();
    }
    document.getElementById("player").hidden = poses.length < 2;
    this.poses = poses;
    this.bar.max = poses[poses.length - 1].time;
    this.at = time;
    this.tell();
  }

  poses = [];

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
      const end = this.frames[this.frames.length - 1].time;
      this.at = (this.at + (now - last) / 1000) % Math.max(end, 1e-3);
      last = now;
      this.draw();
      requestAnimationFrame(step);
    };
    requestAnimationFrame(step);
  }

  async seek(time) {
    this.stop();
    await this.load();
    this.at = time;
    this.draw();
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

  draw() {
    const after = this.frames.findIndex((f) => f.time > this.at + 1e-4);
    const frame = this.frames[(after < 0 ? this.frames.length : after) - 1] ?? this.frames[0];
    this.show(frame);
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
}
