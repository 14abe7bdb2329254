// Who moves the vertex under the pointer, and what lies beneath: a small table beside it.

function element(name, text, className = "") {
  const e = document.createElement(name);
  e.textContent = text;
  e.className = className;
  return e;
}

function bar(weight, className) {
  const ns = "http://www.w3.org/2000/svg";
  const svg = document.createElementNS(ns, "svg");
  svg.setAttribute("width", "72");
  svg.setAttribute("height", "8");
  const rect = document.createElementNS(ns, "rect");
  rect.setAttribute("class", className);
  rect.setAttribute("x", String(72 - 72 * weight));
  rect.setAttribute("width", String(72 * weight));
  rect.setAttribute("height", "8");
  svg.append(rect);
  return svg;
}

function weightRow(table, name, weight, under) {
  const row = table.insertRow();
  row.append(element("td", name, under ? "under" : ""));
  const cell = element("td", "");
  cell.append(bar(weight, under ? "under-bar" : "own-bar"), weight.toFixed(2));
  row.append(cell);
}

export class Hover {
  // `probe` asks what is at a place of the screen, `may` whether anything is to be shown, `tolerance` what is let
  // pass, millimetres.
  constructor(canvas, probe, may, tolerance) {
    Object.assign(this, { canvas, probe, tolerance });
    this.box = document.getElementById("hover");
    this.waiting = null;
    this.probing = null;
    canvas.addEventListener("pointermove", (e) => {
      if (e.buttons !== 0 || !may()) {
        this.box.hidden = true;
        return;
      }
      this.waiting = [e.clientX, e.clientY];
      // One question at a time.
      this.probing ??= this.answer().finally(() => { this.probing = null; });
    });
    canvas.addEventListener("pointerleave", () => this.hide());
  }

  hide() {
    this.waiting = null;
    this.box.hidden = true;
  }

  async answer() {
    while (this.waiting) {
      const [x, y] = this.waiting;
      this.waiting = null;
      this.show(await this.probe(x, y), x, y);
    }
  }

  show(found, x, y) {
    this.box.hidden = !found;
    if (!found) return;
    const table = document.createElement("table");
    if (found.clearance_mm !== null) {
      const row = table.insertRow();
      row.append(element("td", "clearance"));
      const mm = `${found.clearance_mm.toFixed(1).replace("-", "−")} mm`;
      row.append(element("td", mm, found.clearance_mm < -this.tolerance() ? "bad" : ""));
    }
    for (const [name, own, under] of found.weights) {
      weightRow(table, name, own, false);
      if (found.clearance_mm !== null) weightRow(table, "skin beneath", under, true);
    }
    const head = element("div", "");
    head.append(element("b", found.name), ` vertex ${found.vertex}${found.bound ? "" : ", not bound yet"}`);
    this.box.replaceChildren(head, table);
    const frame = this.canvas.getBoundingClientRect();
    const left = Math.min(x - frame.left + 16, frame.width - 244);
    const top = Math.min(y - frame.top + 14, frame.height - this.box.offsetHeight - 8);
    this.box.style.left = `${left}px`;
    this.box.style.top = `${Math.max(8, top)}px`;
  }
}
