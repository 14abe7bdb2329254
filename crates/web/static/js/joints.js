// Turning a joint by hand: a searchable list, three sliders, back to rest.
const SLIDERS = ["bend", "twist", "lean"];

export class Joints {
  constructor(onTurn, onPick) {
    this.onTurn = onTurn;
    this.onPick = onPick;
    this.turns = new Map();
    this.joint = 0;
    this.search = document.getElementById("joint-search");
    this.box = document.getElementById("joint-sliders");
    this.search.addEventListener("change", () => this.pickByName(this.search.value));
    for (const name of SLIDERS) {
      this.slider(name).addEventListener("input", () => this.turned());
    }
    this.both = document.getElementById("turn-both");
    this.both.addEventListener("change", () => this.turned());
    document.getElementById("to-rest").addEventListener("click", () => this.toRest());
  }

  slider(name) {
    return document.getElementById(`turn-${name}`);
  }

  setJoints(joints) {
    this.names = joints.map((j) => j.name);
    const option = (value) => Object.assign(document.createElement("option"), { value });
    document.getElementById("joint-list").replaceChildren(...this.names.map(option));
  }

  pickByName(name) {
    const typed = name.trim().toLowerCase();
    if (typed === "") return;
    let at = this.names.findIndex((n) => n.toLowerCase() === typed);
    if (at < 0) at = this.names.findIndex((n) => n.toLowerCase().includes(typed));
    if (at >= 0) this.pick(at);
  }

  pick(joint) {
    this.joint = joint;
    this.search.value = this.names[joint];
    this.box.hidden = false;
    this.showTurn();
    this.onPick(joint);
  }

  showTurn() {
    const turn = this.turns.get(this.joint) ?? { bend: 0, twist: 0, lean: 0, both_sides: this.both.checked };
    this.both.checked = turn.both_sides;
    for (const name of SLIDERS) {
      this.slider(name).value = turn[name];
      this.slider(name).nextElementSibling.textContent = `${Math.round(turn[name])}°`;
    }
  }

  turned() {
    const turn = Object.fromEntries(SLIDERS.map((name) => [name, Number(this.slider(name).value)]));
    const { shift_mm } = this.turns.get(this.joint) ?? {};
    this.turns.set(this.joint, { ...turn, shift_mm, both_sides: this.both.checked });
    this.showTurn();
    this.onTurn();
  }

  // The joint picked alone as the pose has it.
  oneBack() {
    this.turns.delete(this.joint);
    this.showTurn();
    this.onTurn();
  }

  // Turns of one side go to the other; `partners` names each joint's (itself for one in the middle).
  mirror(partners) {
    const image = (t) => {
      const shift_mm = t.shift_mm && [-t.shift_mm[0], t.shift_mm[1], t.shift_mm[2]];
      return { ...t, twist: -t.twist, lean: -t.lean, shift_mm };
    };
    const mirrored = [...this.turns].map(([joint, t]) => [partners[joint], image(t)]);
    this.turns = new Map(mirrored);
    this.showTurn();
    this.onTurn();
  }

  // All of them at once, as a pull makes them.
  setTurns(list) {
    this.turns = new Map(list.map(({ joint, ...turn }) => [joint, turn]));
    this.showTurn();
  }

  list() {
    const isAny = (t) => t.bend || t.twist || t.lean || t.shift_mm?.some((x) => x !== 0);
    return [...this.turns].filter(([, t]) => isAny(t)).map(([joint, t]) => ({ joint, ...t }));
  }

  clear() {
    this.turns.clear();
    this.showTurn();
  }

  toRest() {
    this.clear();
    this.onTurn(true);
  }
}
