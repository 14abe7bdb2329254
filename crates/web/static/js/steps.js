// Buttons and forms that are a step of the fitting: `data-step` has the step, a field's `data-at` the place in it where
// its value goes, `data-as` what kind of value it is. The server takes the step as a whole, in one place.
import { postForJson } from "./ask.js";
import { notice } from "./notice.js";

const READ = {
  number: (field) => (field.value === "" ? null : Number(field.value)),
  percent: (field) => Number(field.value) / 100,
  json: (field) => (field.value === "" ? null : JSON.parse(field.value)),
  // A name, or nothing.
  name: (field) => (field.value === "" ? null : field.value),
  words: (field) => field.value,
};

// What is in view goes into a step as the pose and the joints turned by hand in it.
const VIEW = {
  view: (step, { pose, turns }) => Object.assign(step, { pose, turns }),
  pose: (step, { pose, turns }) => {
    put(step, "against.pose", pose);
    step.turns = turns;
  },
  shown: (step, { pose }) => Object.assign(step, { pose }),
};

function valueOf(field) {
  const as = field.dataset.as;
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

// What is chosen by hand is chosen on one part: a step on several is on that one then.
function putPicks(step, field, choosing) {
  if (field.type === "checkbox" && !field.checked) {
    put(step, field.dataset.at, "everything");
    return;
  }
  const { piece } = choosing;
  const isMeant = step.pieces && (step.pieces.length === 0 || step.pieces.includes(piece));
  if (isMeant && piece !== null) step.pieces = [piece];
  const on = step.pieces ? step.pieces[0] : (step.piece ?? step.part ?? step.of ?? 0);
  put(step, field.dataset.at, { picks: choosing.picksOn(on) });
}

function fill(step, fields, { choosing, request }) {
  for (const field of fields) {
    const { as, at } = field.dataset;
    if (as in VIEW) {
      if (field.type !== "checkbox" || field.checked) VIEW[as](step, request());
    } else if (at !== undefined && as !== "picks") {
      put(step, at, valueOf(field));
    }
  }
  fields.filter((f) => f.dataset.as === "picks").forEach((field) => putPicks(step, field, choosing));
}

// The step of a form, a button or a field by itself; `stage` knows what is chosen and what is in view.
function stepOf(element, submitter, stage) {
  const step = JSON.parse(element.dataset.step);
  fill(step, element.tagName === "FORM" ? [...element.elements] : [element], stage);
  return Object.assign(step, JSON.parse(submitter?.dataset.step ?? "{}"));
}

export function listenForSteps(stage) {
  document.body.addEventListener("htmx:configRequest", (e) => {
    const { elt, path, triggeringEvent } = e.detail;
    if (!path.endsWith("/step")) return;
    const submitter = triggeringEvent?.submitter;
    const step = stepOf(elt, submitter, stage);
    const { needs, needsWords } = elt.dataset;
    if (needs && step[needs].length === 0) {
      e.preventDefault();
      notice(needsWords);
      return;
    }
    e.detail.parameters = { step: JSON.stringify(step) };
    // Tried first it changes nothing.
    if ((submitter ?? elt).dataset.first !== undefined) e.detail.path += "?first=true";
  });
}

// A step of a script, in the place of the last one when that one's number is given; the answer is the job it began and
// the number it has.
export function startStep(fitting, step, insteadOf) {
  const where = insteadOf === undefined ? "" : `?instead_of=${insteadOf}`;
  return postForJson(`/fitting/${fitting}/step${where}`, step);
}

// The job alone.
export async function takeStep(fitting, step) {
  return (await startStep(fitting, step)).job;
}
