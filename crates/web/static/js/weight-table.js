// The weights of what is chosen as a table: to read, sort, type into, copy and paste as text.
import { postForJson } from "./ask.js";

const field = (id) => document.getElementById(id);

export class WeightTable {
  // `where()` answers the fitting's address of the table, and the joints that are locked; `onJob` watches.
  constructor(where, onJob) {
    Object.assign(this, { where, onJob, joints: [], rows: [], sorted: 0 });
    field("table-apply").addEventListener("click", () => this.apply());
    field("table-head").addEventListener("click", (e) => this.sort(e.target.cellIndex));
    field("table-copy").addEventListener("click", () => this.copy());
    field("table-file").addEventListener("change", (e) => this.take(e.target.files));
  }

  set({ joints, rows }) {
    Object.assign(this, { joints, rows, sorted: 0 });
    if (field("weight-table").open) this.draw();
  }

  show() {
    this.draw();
    field("table-text").value = field("table-file").value = "";
    // Not modal: what is refused must be seen.
    field("weight-table").show();
  }

  draw() {
    const cell = (name) => Object.assign(document.createElement("th"), { textContent: name });
    const head = ["vertex", ...this.joints].map(cell);
    field("table-head").replaceChildren(...head);
    field("table-body").replaceChildren(...this.rows.map((row) => this.row(row)));
  }

  row([vertex, weights]) {
    const row = document.createElement("tr");
    row.dataset.vertex = vertex;
    const name = Object.assign(document.createElement("td"), { textContent: vertex });
    const cells = weights.map((weight, i) => {
      const input = document.createElement("input");
      Object.assign(input, { type: "number", min: 0, max: 1, step: "any", value: weight.toFixed(5) });
      input.setAttribute("aria-label", `${this.joints[i]} of ${vertex}`);
      input.addEventListener("input", () => row.classList.add("typed"));
      const cell = document.createElement("td");
      cell.append(input);
      return cell;
    });
    row.append(name, ...cells);
    return row;
  }

  // By vertex up, by a joint from the most down.
  sort(column) {
    const of = ([vertex, weights]) => (column === 0 ? vertex : -weights[column - 1]);
    this.rows = [...this.rows].sort((a, b) => of(a) - of(b));
    this.draw();
  }

  text(rows) {
    const line = (row) => [row.dataset.vertex, ...[...row.querySelectorAll("input")].map((i) => i.value)].join(",");
    return [["vertex", ...this.joints].join(","), ...rows.map(line)].join("\n");
  }

  copy() {
    field("table-text").value = this.text([...field("table-body").rows]);
    field("table-text").select();
    navigator.clipboard?.writeText(field("table-text").value).catch(() => {});
  }

  // The text of a file, to be read before it is made so.
  async take([file]) {
    if (file) field("table-text").value = await file.text();
  }

  // What was pasted or taken from a file, else what was typed.
  async apply() {
    const typed = [...field("table-body").querySelectorAll(".typed")];
    const pasted = field("table-text").value.trim();
    const text = typed.length > 0 ? this.text(typed) : pasted;
    const { url, locked } = this.where();
    const { job } = await postForJson(url, { text, by_place: field("table-by-place").checked, locked });
    field("weight-table").close();
    this.onJob(job);
  }
}
