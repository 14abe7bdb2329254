// Shapes of the body called up by hand in the pose that is shown: what follows them goes along, and is measured so.
const field = (id) => document.getElementById(id);

export class Shapes {
  constructor(onChange) {
    this.amounts = new Map();
    this.onChange = onChange;
    field("shape-pick").addEventListener("change", () => this.show());
    field("shape-amount").addEventListener("input", () => {
      this.amounts.set(Number(field("shape-pick").value), Number(field("shape-amount").value));
      this.show();
      onChange();
    });
  }

  // Those there are: number and name.
  set(shapes) {
    const now = field("shape-pick").value;
    field("shape-sliders").hidden = shapes.length === 0;
    field("shape-pick").replaceChildren(...shapes.map(([number, name]) => new Option(name, number)));
    const known = new Set(shapes.map(([number]) => number));
    if (now !== "" && known.has(Number(now))) field("shape-pick").value = now;
    for (const number of this.amounts.keys()) if (!known.has(number)) this.amounts.delete(number);
    this.show();
  }

  show() {
    const amount = this.amounts.get(Number(field("shape-pick").value)) ?? 0;
    field("shape-amount").value = amount;
    field("shape-told").textContent = `${Math.round(amount * 100)} %`;
  }

  // All of the one of a name, none of the others; none at all without a name.
  only(name) {
    const found = [...field("shape-pick").options].find((option) => option.text === name);
    this.amounts.clear();
    if (found) {
      field("shape-pick").value = found.value;
      this.amounts.set(Number(found.value), 1);
    }
    this.show();
    this.onChange();
  }

  list() {
    return [...this.amounts].filter(([, amount]) => amount !== 0);
  }

  clear() {
    this.amounts.clear();
    this.show();
  }
}
