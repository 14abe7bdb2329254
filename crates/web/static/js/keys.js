// Keys; the list under ? names them all.
const KEPT = "single letters are no keys";

// Single letters and signs can be switched off; the browser keeps that.
function listenToSwitch() {
  const box = document.getElementById("single-keys");
  box.checked = localStorage.getItem(KEPT) === null;
  box.addEventListener("change", () => {
    if (box.checked) localStorage.removeItem(KEPT);
    else localStorage.setItem(KEPT, "1");
  });
  return () => !box.checked;
}

export function listen(actions) {
  const isOff = listenToSwitch();
  document.addEventListener("keydown", (e) => {
    const typing = e.target.closest?.("input:not([type=range]), select, textarea, dialog[open]");
    if (e.ctrlKey || e.metaKey) {
      const key = (e.shiftKey ? "Shift " : "") + e.key.toLowerCase();
      const action = { z: actions.u, y: actions.r, "Shift z": actions.r }[key];
      if (action && !typing) {
        e.preventDefault();
        action();
      }
      return;
    }
    if (typing || e.altKey) return;
    if (isOff() && e.key.length === 1 && e.key !== " ") return;
    const onSlider = e.target.matches?.("input[type=range]") && e.key.startsWith("Arrow");
    if (onSlider) return;
    const pressed = e.key === "Enter" || e.key === " ";
    // What the browser presses by itself, and what is pressed like a button here.
    if (pressed && e.target.closest?.("button, a, summary, input")) return;
    const band = e.target.closest?.(".band, .worst-snag");
    if (band && pressed) {
      e.preventDefault();
      band.dispatchEvent(new MouseEvent("click", { bubbles: true }));
      return;
    }
    const shifted = e.shiftKey && /^(Arrow|Page|[A-Z]$)/.test(e.key);
    const action = actions[shifted ? `Shift ${e.key}` : e.key];
    if (action) {
      e.preventDefault();
      action();
    }
  });
}
