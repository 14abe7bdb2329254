// Whether a button is pressed anywhere on the page.
let pressed = false;
let waiting = [];

function letGo() {
  pressed = false;
  const all = waiting;
  waiting = [];
  // The click that ends a press comes right after its release.
  setTimeout(() => all.forEach((go) => go()));
}

addEventListener("pointerdown", () => { pressed = true; }, true);
for (const end of ["pointerup", "pointercancel", "blur"]) addEventListener(end, letGo, true);

// Is done as soon as no button is pressed.
export function released() {
  return pressed ? new Promise((go) => waiting.push(go)) : Promise.resolve();
}
