// The board: choose a cell by click or keys; the chosen one outlives a new board.
export class Board {
  constructor(onChoose, onWish) {
    Object.assign(this, { onChoose, only: "", worst: false, counted: false, group: "" });
    this.pose = null;
    this.row = null;
    this.unfolded = false;
    // What is under the pointer is named above the columns.
    document.body.addEventListener("pointerover", (e) => {
      const over = document.getElementById("board-over");
      const cell = e.target.closest?.("#board .cell");
      if (over) over.textContent = cell ? cell.querySelector("title").textContent : "";
    });
    document.body.addEventListener("change", (e) => {
      if (e.target.id !== "board-only") return;
      this.only = e.target.value;
      onWish();
    });
    document.body.addEventListener("click", (e) => {
      const cell = e.target.closest?.("#board .cell");
      if (cell) this.choose(cell);
      const group = e.target.closest?.("#board .heading")?.dataset.group;
      const wishes = {
        worst: e.target.closest?.("#board-worst") && !this.worst,
        counted: e.target.closest?.("#board-counted") && !this.counted,
        group: group !== undefined && (this.group === group ? "" : group),
      };
      for (const [name, wish] of Object.entries(wishes)) {
        if (wish === null || wish === undefined || (name === "group" && wish === false)) continue;
        this[name] = wish;
        onWish();
      }
      if (e.target.closest?.("#clear-rows")) {
        this.unfolded = !this.unfolded;
        this.mark();
      }
    });
  }

  // What of it is wished, as the address has it.
  wish() {
    const group = this.group ? `&group=${encodeURIComponent(this.group)}` : "";
    const only = this.only === "" ? "" : `&only=${this.only}`;
    return `${only}${this.worst ? "&worst=true" : ""}${this.counted ? "&counted=true" : ""}${group}`;
  }

  cells() {
    return [...document.querySelectorAll("#board .cell")];
  }

  at(pose, row) {
    return document.querySelector(`#board .cell[data-pose="${pose}"][data-row="${row}"]`);
  }

  // Whether anything that the board shows is out of tolerance in a pose, or in those that its column stands for.
  isOut(pose) {
    const own = (cell) => Number(cell.dataset.from) <= pose && pose <= Number(cell.dataset.to);
    return [...document.querySelectorAll("#board .cell:is(.slight, .deep, .worst)")].some(own);
  }

  // The cell of a pose and a row, or, where its column stands for several, the pose by itself.
  goTo(pose, row, title) {
    const cell = this.at(pose, row);
    if (cell) this.choose(cell);
    else this.onChoose({ pose, row, spot: null, title: `: ${title}` });
  }

  // Marks a cell and tells what it shows.
  choose(cell) {
    this.pose = Number(cell.dataset.pose);
    this.row = Number(cell.dataset.row);
    this.mark();
    const spot = cell.dataset.spot ? cell.dataset.spot.split(",").map(Number) : null;
    this.onChoose({ pose: this.pose, row: this.row, spot, title: cell.querySelector("title").textContent });
  }

  // Rows that are clear throughout are folded away, or not, as was wished last.
  fold() {
    const svg = document.querySelector("#board svg.board");
    document.getElementById("board").classList.toggle("unfolded", this.unfolded);
    document.getElementById("clear-rows")?.setAttribute("aria-pressed", this.unfolded);
    if (!svg) return;
    const height = this.unfolded ? svg.dataset.whole : svg.dataset.folded;
    svg.setAttribute("height", height);
    svg.setAttribute("viewBox", `0 0 ${svg.getAttribute("width")} ${height}`);
  }

  mark() {
    this.fold();
    const here = document.querySelector("#board .here");
    const cell = this.pose === null ? null : this.at(this.pose, this.row);
    if (!here) return;
    here.setAttribute("visibility", cell ? "visible" : "hidden");
    if (!cell) return;
    const rect = cell.querySelector("rect");
    here.setAttribute("x", rect.x.baseVal.value - 2);
    here.setAttribute("y", rect.y.baseVal.value - 2);
    here.setAttribute("width", rect.width.baseVal.value + 4);
  }

  // The column of the pose that is shown.
  light(pose) {
    const lit = document.querySelector("#board .lit");
    const holds = (c) => Number(c.dataset.from) <= pose && pose <= Number(c.dataset.to);
    const cell = [...document.querySelectorAll('#board .cell[data-line="0"]')].find(holds)?.querySelector("rect");
    if (!lit) return;
    lit.setAttribute("visibility", cell ? "visible" : "hidden");
    if (!cell) return;
    lit.setAttribute("x", cell.x.baseVal.value - 1);
    lit.setAttribute("width", cell.width.baseVal.value + 2);
  }

  walk(poses, rows) {
    const cells = this.cells();
    if (cells.length === 0) return;
    if (this.pose === null) {
      this.choose(cells[0]);
      return;
    }
    const here = this.at(this.pose, this.row)?.dataset ?? { line: 0, col: 0 };
    const [line, col] = [Number(here.line) + rows, Number(here.col) + poses];
    const next = document.querySelector(`#board .cell[data-col="${col}"][data-line="${line}"]`);
    if (next && (this.unfolded || !next.matches(".folded"))) this.choose(next);
  }

  depth(cell) {
    const match = /, ([\d.]+) mm deep/.exec(cell.querySelector("title").textContent);
    return match ? Number(match[1]) : 0;
  }

  // Cells out of tolerance, deepest first.
  worstFirst() {
    const out = this.cells().filter((c) => !c.matches(".clear, .crossing, .unknown, .unmeasurable, .stress, .aside"));
    return out.sort((a, b) => this.depth(b) - this.depth(a));
  }

  chooseWorst() {
    const worst = this.worstFirst()[0];
    if (worst) this.choose(worst);
  }

  // The next less deep cell after the chosen one.
  chooseNext() {
    const list = this.worstFirst();
    const at = list.findIndex((c) => Number(c.dataset.pose) === this.pose && Number(c.dataset.row) === this.row);
    const next = list[(at + 1) % Math.max(list.length, 1)];
    if (next) this.choose(next);
  }
}
