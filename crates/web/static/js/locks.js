// The joints that keep their weights, whoever changes them: brush, gradient, hand, cleaning. One list a fitting, in
// sight wherever weights are changed, lasting while the page is read again.
export class Locks {
  // `all()` names the joints there are; `shown()` the one that is shown.
  constructor(fitting, all, shown, onChanged) {
    Object.assign(this, { key: `locked ${fitting}`, all, shown, onChanged });
    this.names = new Set(JSON.parse(sessionStorage.getItem(this.key) ?? "[]"));
    document.body.addEventListener("click", (e) => this.press(e));
  }

  // Those that are there; a joint that was taken out locks nothing.
  get list() {
    const known = new Set(this.all());
    return [...this.names].filter((name) => known.has(name));
  }

  has(name) {
    return this.names.has(name);
  }

  set(name, on) {
    this.names[on ? "add" : "delete"](name);
    this.changed();
  }

  press(e) {
    const one = e.target.closest("[data-unlock]")?.dataset.unlock;
    const how = e.target.closest("[data-locks]")?.dataset.locks;
    if (one !== undefined) this.set(one, false);
    if (how === "shown" && this.shown()) this.set(this.shown(), true);
    if (how === "others") this.others();
    if (how === "none") {
      this.names.clear();
      this.changed();
    }
  }

  // All but these: what was locked is free, and all else is locked.
  others() {
    this.names = new Set(this.all().filter((name) => !this.names.has(name)));
    this.changed();
  }

  changed() {
    sessionStorage.setItem(this.key, JSON.stringify([...this.names]));
    this.mark();
    this.onChanged();
  }

  // Every place that shows the list, and every form that sends it along.
  mark() {
    const { list } = this;
    for (const place of document.querySelectorAll(".locks")) {
      const free = this.all().length - list.length;
      const many = list.length > 12;
      const words = list.length === 0 ? "no joint" : many ? `${list.length} joints, all but ${free}` : "";
      place.querySelector("output").textContent = words;
      place.querySelector(".chips").replaceChildren(...(many ? [] : list.map((name) => this.chip(name))));
    }
    for (const input of document.querySelectorAll("input[data-locked]")) input.value = list.join(",");
  }

  chip(name) {
    const chip = Object.assign(document.createElement("button"), {
      type: "button", className: "btn btn-sm", textContent: `${name} ×`, title: `${name} may change again`,
    });
    chip.dataset.unlock = name;
    return chip;
  }
}
