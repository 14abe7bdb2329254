// Whether a button is pressed anywhere on the page.
const MOST_MS = 3000;
let pressed = false;
let waiting = [];

function letGo() {
  pressed = false;
  delete document.documentElement.dataset.waits;
  const all = waiting;
  waiting = [];
  // The click that ends a press comes right after its release.
  setTimeout(() => all.forEach((go) => go()));
}

addEventListener("pointerdown", (e) => { pressed = e.button === 0; }, true);
// A list that opens over the page, or a menu, may take the release with it: what comes next tells.
for (const end of ["pointerup", "pointercancel", "change", "contextmenu", "blur"]) addEventListener(end, letGo, true);
addEventListener("pointermove", (e) => { if (pressed && e.buttons === 0) letGo(); }, true);

// Is done as soon as no button is pressed, or one has been for too long for a click.
export function released() {
  if (!pressed) return Promise.resolve();
  return new Promise((go) => {
    waiting.push(go);
    // Seen from outside: an answer is there, and waits.
    document.documentElement.dataset.waits = "yes";
    setTimeout(go, MOST_MS);
  });
}
