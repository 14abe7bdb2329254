// The place that was clicked last: forms of the class “picks” send it along.

export class Picked {
  constructor() {
    this.place = null;
    document.body.addEventListener("htmx:configRequest", (e) => {
      if (!this.place || !e.target.closest?.(".picks")) return;
      e.detail.parameters["picked.part"] = this.place.part;
      e.detail.parameters["picked.vertex"] = this.place.vertex;
    });
  }

  set(found) {
    this.place = found ? { part: found.part, vertex: found.vertex, name: found.name } : null;
    this.mark();
  }

  // The panels are drawn anew after each step: the line must say what is so.
  mark() {
    const line = document.getElementById("picked");
    if (!line) return;
    line.hidden = !this.place;
    if (this.place) line.textContent = `Place picked: vertex ${this.place.vertex} of ${this.place.name}`;
  }
}
