// The edge above the board: dragged, or moved by arrow keys, it sets how high the board is; that is kept.
const KEY = "board-height";
const LEAST = 90;
const BY_KEY = 24;

export function listenToBoardEdge(screen) {
  const edge = document.getElementById("board-edge");
  const most = () => Math.round(window.innerHeight * 0.6);
  const set = (height) => {
    const px = Math.round(Math.min(Math.max(height, LEAST), most()));
    screen.style.setProperty("--board-height", `${px}px`);
    edge.setAttribute("aria-valuenow", String(px));
    edge.setAttribute("aria-valuemax", String(most()));
    return px;
  };
  const keep = (height) => localStorage.setItem(KEY, String(set(height)));
  const now = () => document.getElementById("board").getBoundingClientRect().height;

  edge.addEventListener("pointerdown", (e) => {
    edge.setPointerCapture(e.pointerId);
    const [from, height] = [e.clientY, now()];
    const drag = (move) => set(height + from - move.clientY);
    edge.addEventListener("pointermove", drag);
    edge.addEventListener("pointerup", () => {
      edge.removeEventListener("pointermove", drag);
      keep(now());
    }, { once: true });
  });
  edge.addEventListener("keydown", (e) => {
    const by = { ArrowUp: BY_KEY, ArrowDown: -BY_KEY }[e.key];
    if (!by) return;
    // The arrows walk the board elsewhere.
    e.preventDefault();
    e.stopPropagation();
    keep(now() + by);
  });
  const kept = Number(localStorage.getItem(KEY));
  if (kept > 0) set(kept);
}
