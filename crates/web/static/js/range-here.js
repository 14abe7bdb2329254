// How far the joint in hand is turned, beside its range.
import { postForJson } from "./ask.js";

const WAYS = ["forward", "sideways", "turn"];
const degrees = (x) => `${Math.round(x)}°`;

export class RangeHere {
  constructor(fitting, joints, request) {
    Object.assign(this, { fitting, joints, request });
    this.line = document.getElementById("joint-range");
  }

  async look() {
    if (this.joints.box.hidden) return;
    const { pose, turns } = this.request();
    const { joint } = this.joints;
    const here = await postForJson(`/fitting/${this.fitting}/range-here`, { pose, turns, joint });
    if (joint !== this.joints.joint) return;
    const one = (way, n) => `${way} ${degrees(here.angles[n])} of ${here.range[way].map(degrees).join(" to ")}`;
    this.line.textContent = here ? WAYS.map(one).join(" · ") : "";
    if (here?.beyond > 1) this.line.textContent += ` · ${degrees(here.beyond)} beyond`;
    this.line.classList.toggle("bad", here?.beyond > 1);
  }
}
