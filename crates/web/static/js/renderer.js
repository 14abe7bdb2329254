// What draws the viewport. A browser that cannot draw in 3D says so, and the rest of the page works on.
import * as THREE from "../vendor/three.js";

const NOTE =
  "This browser does not draw in 3D (WebGL is off), so no figure is shown. Board, tables and steps work all the " +
  "same; turn on hardware acceleration in its settings, or use another browser, to see it.";

const OPTIONS = { antialias: true, preserveDrawingBuffer: true };

export function rendererFor(canvas) {
  // Asked here, since a renderer that gets none complains of it in the console.
  const context = canvas.getContext("webgl2", OPTIONS);
  if (context) return new THREE.WebGLRenderer({ canvas, context, ...OPTIONS });
  tell(canvas);
  return drawsNothing();
}

function tell(canvas) {
  const note = document.createElement("p");
  note.className = "no-drawing";
  note.role = "status";
  note.textContent = NOTE;
  canvas.after(note);
}

// Takes every call and setting of a renderer and does nothing.
function drawsNothing() {
  const nothing = () => undefined;
  const sizes = { getDrawingBufferSize: (size) => size.set(1, 1), getPixelRatio: () => 1 };
  return new Proxy(sizes, { get: (own, name) => (name in own ? own[name] : nothing) });
}
