// Buttons and forms that are a step of the fitting: `data-step` has the step, a field's `data-at` the place in it where
// its value goes, `data-as` what kind of value it is. The server takes the step as a whole, in one place.
import { postForJson } from "./ask.js";

const READ = {
  number: (field) => (field.value === "" ? null : Number(field.value)),
  percent: (field) => Number(field.value) / 100,
  json: (field) => JSON.parse(field.value),
  // A name, or nothing.
  name: (field) => (field.value === "" ? null : field.value),
  words: (field) => field.value,
};

function valueOf(field, picks) {
  const as = field.dataset.as;
  if (as === "picks") return field.type === "checkbox" && !field.checked ? "everything" : { picks: picks() };
  if (field.type === "checkbox") return as === undefined ? field.checked : field.checked ? READ[as](field) : undefined;
  return READ[as ?? (["number", "range"].includes(field.type) ? "number" : "words")](field);
}

function put(step, at, value) {
  const names = at.replace("[]", "").split(".");
  const last = names.pop();
  const inner = names.reduce((on, name) => (on[name] ??= {}), step);
  if (!at.endsWith("[]")) {
    if (value !== undefined) inner[last] = value;
    return;
  }
  inner[last] ??= [];
  if (value !== undefined && value !== null) inner[last].push(value);
}

// The step of a form, a button or a field by itself; `picksOn` says what is chosen by hand on a piece.
function stepOf(element, submitter, picksOn) {
  const step = JSON.parse(element.dataset.step);
  const fields = element.tagName === "FORM" ? [...element.elements] : [element];
  const [picked, others] = [true, false].map((is) => fields.filter((f) => (f.dataset.as === "picks") === is));
  // What is chosen is chosen on a piece: that has to be known first.
  for (const field of [...others, ...picked]) {
    if (field.dataset.at === undefined) continue;
    put(step, field.dataset.at, valueOf(field, () => picksOn(step.piece ?? step.part ?? step.pieces?.[0])));
  }
  return Object.assign(step, JSON.parse(submitter?.dataset.step ?? "{}"));
}

export function listenForSteps(picksOn) {
  document.body.addEventListener("htmx:configRequest", (e) => {
    const { elt, path, triggeringEvent } = e.detail;
    if (!path.endsWith("/step")) return;
    e.detail.parameters = { step: JSON.stringify(stepOf(elt, triggeringEvent?.submitter, picksOn)) };
  });
}

// A step of a script; the answer is the job it began.
export async function takeStep(fitting, step) {
  return (await postForJson(`/fitting/${fitting}/step`, step)).job;
}
