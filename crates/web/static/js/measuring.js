// The board fills behind the page: its fragment is fetched anew while it is being measured.
export class Measuring {
  constructor(fitting, ask) {
    Object.assign(this, { fitting, ask, events: null });
    document.body.addEventListener("click", (e) => {
      // The post itself is htmx's; the board is watched once it was answered.
      if (e.target.closest("#measure")) setTimeout(() => this.watch(), 50);
    });
  }

  // Watches until nothing is being measured any more; a newer call takes over.
  watch() {
    this.events?.close();
    const events = new EventSource(`/fitting/${this.fitting}/measuring`);
    this.events = events;
    let shown = null;
    let busy = false;
    let last = 0;
    events.onmessage = async (message) => {
      const { running, left } = JSON.parse(message.data);
      if (!running) events.close();
      // Often enough to be watched, seldom enough to press a button that is renewed with it.
      if (running && (busy || left === shown || performance.now() - last < 600)) return;
      busy = true;
      await this.ask();
      busy = false;
      shown = left;
      last = performance.now();
    };
    events.onerror = () => events.close();
  }

  // After the panels were renewed.
  follow() {
    const board = document.getElementById("board");
    if (board.dataset.measuring) this.watch();
  }
}
