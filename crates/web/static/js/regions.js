// The legend of the map of regions: the joints that move some place most, with their colours.
import { REGIONS } from "./shading.js";

function swatch({ name, colour }) {
  const button = document.createElement("button");
  button.type = "button";
  button.textContent = name;
  button.dataset.joint = name;
  const ns = "http://www.w3.org/2000/svg";
  const mark = document.createElementNS(ns, "svg");
  mark.setAttribute("width", "11");
  mark.setAttribute("height", "11");
  const square = document.createElementNS(ns, "rect");
  square.setAttribute("width", "11");
  square.setAttribute("height", "11");
  square.setAttribute("fill", REGIONS[colour]);
  mark.append(square);
  button.prepend(mark);
  return button;
}

export function showRegions(joints) {
  const shown = joints.filter((j) => j.colour !== null);
  document.querySelector("#legend-regions .swatches").replaceChildren(...shown.map(swatch));
}

// A press shows the joint's weights.
export function listenToRegions(pick) {
  document.getElementById("legend-regions").addEventListener("click", (e) => {
    const name = e.target.closest("[data-joint]")?.dataset.joint;
    if (name) pick(name);
  });
}
