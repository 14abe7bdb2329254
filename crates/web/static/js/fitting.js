// The Fitting screen: ties the viewport, the board, the joints and the panels together.
import {
  getJson, getText, postForBytes, postForJson, postForPreview, postText, readMaps, readPoses,
} from "./ask.js";
import { Board } from "./board.js";
import { listenToBoardEdge } from "./board-edge.js";
import { Compare } from "./compare.js";
import { Brush } from "./brush.js";
import { ByHand } from "./by-hand.js";
import { Choosing } from "./choosing.js";
import { Handles } from "./handles.js";
import { Moving } from "./moving.js";
import { Placing } from "./placing.js";
import { Hover } from "./hover.js";
import { listenToJointTable, listenToPieceJoints } from "./joint-table.js";
import { Joints } from "./joints.js";
import { listen } from "./keys.js";
import { Layers } from "./layers.js";
import { Locks } from "./locks.js";
import { Measuring } from "./measuring.js";
import { Picked } from "./picked.js";
import { Player } from "./play.js";
import { Pull } from "./pull.js";
import { RangeHere } from "./range-here.js";
import { Scene } from "./scene.js";
import { Skeleton } from "./skeleton.js";
import { released } from "./released.js";
import { listenToRegions, showRegions } from "./regions.js";
import { Shapes } from "./shapes.js";
import { listenForFiles } from "./shelf.js";
import { Snags, countOtherwise } from "./snags.js";
import { listenForSteps, takeStep } from "./steps.js";
import { Tool } from "./tool.js";
import { Work } from "./work.js";

const screen = document.getElementById("screen");
const fitting = screen.dataset.fitting;
const canvas = document.getElementById("canvas");
const scene = new Scene(canvas, fitting);
const look = { pose: 0, map: "plain" };
let facts = null;

const board = new Board((cell) => chooseCell(cell), () => refreshBoard());
const shapes = new Shapes(() => {
  player.stop();
  askView();
});
const joints = new Joints((all) => {
  if (all) shapes.clear();
  if (all) setPose(0);
  else askView();
}, () => {
  document.getElementById("legend-joint").textContent = joints.names[joints.joint];
  if (look.map === "weights") askView();
  byHand.markJoint();
  rangeHere.look();
});
const work = new Work(() => refresh(), () => showPlan());
const measuring = new Measuring(fitting, () => refreshBoard());
const layers = new Layers(scene, fitting, (job) => work.watch(job));
const picked = new Picked();
const compare = new Compare(scene, fitting);
const snags = new Snags(fitting, { scene, joints, setMap, setPose });
const player = new Player(
  fitting,
  (frame) => {
    if (document.getElementById("go-along").checked) scene.goAlong(frame);
    else scene.gone = null;
    scene.setPose(frame);
  },
  (pose, ends) => passed(pose, ends),
  (pose) => board.isOut(pose),
);

// A tried pose is passed while a motion plays: its column lights up, and its map is drawn.
async function passed(pose, ends) {
  if (ends) {
    await setPose(pose);
    return;
  }
  namePose(pose, "");
  if (look.map !== "clearance" && look.map !== "strain") return;
  if (!passedMaps.has(pose)) {
    const asked = { pose, turns: [], map: look.map, joint: joints.joint };
    passedMaps.set(pose, readMaps(await postForBytes(`/fitting/${fitting}/maps`, asked)));
  }
  if (look.pose === pose) scene.setMaps(passedMaps.get(pose), look.map);
}
const passedMaps = new Map();
const touch = { probe: (x, y) => probe(x, y), request: () => request() };
const brush = new Brush(canvas, scene, fitting, touch, (inPose) => lookAtGaps(inPose), (job) => work.watch(job));

// The brush works on the rest shape or in the pose that is shown, with the gaps there.
function lookAtGaps(inPose) {
  if (!inPose) return lookAtRest();
  setMap("clearance");
  return setPose(look.pose);
}

function lookAtRest() {
  joints.clear();
  setMap("clearance");
  return setPose(0);
}

// The piece was modelled round the body as it is posed now.
async function seatFromPose(piece) {
  const { pose, turns } = request();
  const job = await takeStep(fitting, { do: "seat_from_pose", piece: Number(piece), pose, turns });
  joints.clear();
  work.watch(job);
}

const station = () => Number(document.getElementById("card").dataset.station);
const request = () => ({
  pose: look.pose,
  turns: joints.list(),
  shapes: shapes.list(),
  map: look.map,
  joint: joints.joint,
});

const posePick = document.getElementById("pose-pick");
function setPoses() {
  posePick.replaceChildren(...facts.poses.map((name, i) => new Option(name, i, false, i === look.pose)));
}
posePick.addEventListener("change", () => {
  joints.clear();
  setPose(Number(posePick.value));
});

// One view at a time; while one is under way only the newest wish is kept.
let asking = false;
let again = false;
async function askView() {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  try {
    const asked = request();
    // The pose is there at once; what is measured of it follows.
    scene.setPose(readPoses(await postForBytes(`/fitting/${fitting}/pose`, asked))[0]);
    canvas.dataset.posed = asked.pose;
    scene.setMaps(readMaps(await postForBytes(`/fitting/${fitting}/maps`, asked)), asked.map);
    scene.applyShown();
    await compare.look(asked, facts.poses[asked.pose], joints.names[asked.joint]);
    if (skeleton.on) skeleton.look();
    rangeHere.look();
    canvas.dataset.pose = asked.pose;
    canvas.dataset.map = asked.map;
  } finally {
    asking = false;
    if (again) {
      again = false;
      askView();
    }
  }
}

function setPose(pose, note = "") {
  player.stop();
  namePose(pose, note);
  const [group, time] = facts.when[pose];
  const tried = facts.when.map(([g, t], i) => ({ group: g, time: t, pose: i })).filter((p) => p.group === group);
  // Still poses follow each other.
  if (tried.every((p) => p.time === 0)) tried.forEach((p, i) => { p.time = i * 0.25; });
  player.follow(group, tried.find((p) => p.pose === pose)?.time ?? time, tried);
  return askView();
}

function namePose(pose, note) {
  look.pose = pose;
  posePick.value = String(pose);
  document.getElementById("pose-name").textContent = facts.poses[pose];
  document.getElementById("pose-note").textContent = note;
  board.light(pose);
}

function setMap(map) {
  passedMaps.clear();
  // What is hidden of the body lies under all of the pieces.
  if (map === "hidden") scene.setAutoSheer(facts.parts.slice(1).map((p) => p.id));
  else if (look.map === "hidden") scene.setAutoSheer([]);
  look.map = map;
  for (const button of document.querySelectorAll(".maps button")) {
    button.setAttribute("aria-pressed", button.dataset.map === map);
  }
  for (const kind of ["weights", "clearance", "regions", "matched", "hidden", "sides", "strain", "turned"]) {
    document.getElementById(`legend-${kind}`).hidden = kind !== map;
  }
  if (map === "regions") showRegions(facts.joints);
  if (map === "weights") document.getElementById("legend-joint").textContent = joints.names[joints.joint];
}

function chooseCell({ pose, row, spot, title }) {
  joints.clear();
  setMap("clearance");
  setPose(pose, title.slice(title.indexOf(":") + 2));
  if (spot) scene.seeSpot(spot);
  else scene.seeWhole();
  snags.load(pose, row);
}

document.getElementById("joint-sliders").addEventListener("change", () => snags.loadHere(request()));

// A trial set of a file.
document.body.addEventListener("change", async (e) => {
  if (e.target.id !== "trial-set" || e.target.files.length === 0) return;
  const { job } = await postText(`/fitting/${fitting}/trials.json`, await e.target.files[0].text());
  work.watch(job);
});

// The joint picked is tried through its range about all its axes.
async function swingJoint() {
  const joint = joints.names[joints.joint];
  const change = { set: "swing", joint, axis: null, steps: 9, both_sides: joints.both.checked, coupled: true };
  work.watch(await takeStep(fitting, { do: "change_trials", change }));
}

// An earlier step beside the fitting as it stands, in the viewport and on the board.
async function compareWith(step) {
  await compare.begin(step, `step ${step}`);
  await refresh();
}

// Steps that were tried and not done: the newest is shown beside what there is as soon as it is there.
let triedKnown = 0;
async function followTried() {
  const box = document.getElementById("tried");
  const count = Number(box?.dataset.count ?? 0);
  if (count > triedKnown) await compare.begin(-count, "as it would be");
  else if (count < triedKnown && compare.isOfTried) compare.end();
  triedKnown = count;
  compare.markTried();
}

// What a snag is made of is chosen on its piece.
async function chooseSnag({ piece, what }) {
  choosing.usePiece(Number(piece));
  await choosing.setPicks([{ what: JSON.parse(what) }]);
}

// The same with the brush in hand, in the pose that is shown.
async function brushSnag(named) {
  await chooseSnag(named);
  await goTo(2);
  document.getElementById("brush-in-pose").checked = request().pose !== 0;
  if (!brush.on) brush.toggle();
}

// One of them beside what there is, or what there is alone again.
async function seeTried(seq) {
  if (compare.step === seq) compare.end();
  else await compare.begin(seq, "as it would be");
  compare.markTried();
  await askView();
}

function endCompare() {
  compare.end();
  return refresh();
}

// Fragments one after the other, and never under a pressed button: what is renewed between press and release gets
// no click.
let swapped = Promise.resolve();
function swapIn(url, into = "body", swapStyle = "none") {
  swapped = swapped.catch(() => {}).then(async () => {
    const html = await getText(url);
    await released();
    const place = document.querySelector(into);
    if (place) htmx.swap(place, html, { swapStyle });
  });
  return swapped;
}

// The plan as far as it is, while it is being made.
function showPlan() {
  if (document.getElementById("plan")) swapIn(`/fitting/${fitting}/plan`, "#plan", "outerHTML");
}

// Panels, scene and view anew, after a step, an undo or a change of station.
async function refresh(to = station()) {
  const kept = new Map([...document.querySelectorAll("details[data-keep]")].map((d) => [d.dataset.keep, d.open]));
  layers.noteFocus();
  const forms = [...document.querySelectorAll("form[data-keep-fields]")];
  const fields = new Map(forms.map((f) => [f.dataset.keepFields, new FormData(f)]));
  await swapIn(`/fitting/${fitting}/panels?station=${to}${boardLook()}`);
  for (const d of document.querySelectorAll("details[data-keep]")) {
    if (kept.has(d.dataset.keep)) d.open = kept.get(d.dataset.keep);
  }
  for (const form of document.querySelectorAll("form[data-keep-fields]")) {
    const known = fields.get(form.dataset.keepFields);
    if (!known) continue;
    for (const box of form.querySelectorAll("input[type=checkbox]")) box.checked = false;
    for (const [name, value] of known) {
      const field = form.elements[name];
      if (!field) continue;
      if (field.type === "checkbox") field.checked = true;
      else field.value = value;
      // What was chosen may be gone.
      if (field.selectedIndex === -1) field.selectedIndex = 0;
    }
  }
  const before = facts;
  passedMaps.clear();
  await followTried();
  facts = await getJson(`/fitting/${fitting}/scene`);
  await scene.setParts(facts);
  // A body of other size, or of other meshes, is looked at anew.
  if (before && String([before.low, before.high]) !== String([facts.low, facts.high])) scene.seeWhole();
  joints.setJoints(facts.joints);
  shapes.set(facts.shapes);
  if (look.pose >= facts.poses.length) setPose(0);
  setPoses();
  if (look.map === "regions") showRegions(facts.joints);
  layers.mark();
  layers.keepFocus();
  brush.mark();
  byHand.mark();
  locks.mark();
  await tool.mark(facts.own_shapes);
  picked.mark();
  board.mark();
  board.light(look.pose);
  await askView();
  handles.follow();
  loadChosenSnags();
  measuring.follow();
  screen.dataset.ready = String(Number(screen.dataset.ready ?? 0) + 1);
}

// What is open stays open while the board fills: asked of the old head at the moment it goes.
let stepsShown = false;
document.body.addEventListener("htmx:oobBeforeSwap", (e) => {
  if (e.target.id === "head") stepsShown = document.querySelector(".steps").open;
});

// What of the board is looked at: against which step, which rows and columns.
const boardLook = () => (compare.step === null || compare.isOfTried ? "" : `&against=${compare.step}`) + board.wish();

// The board, and what else is told by what is measured.
async function refreshBoard() {
  layers.noteFocus();
  stepsShown = document.querySelector(".steps").open;
  const lastShown = document.getElementById("last-step")?.open === true;
  await swapIn(`/fitting/${fitting}/board?station=${station()}${boardLook()}`);
  if (stepsShown) document.querySelector(".steps").open = true;
  if (lastShown) document.getElementById("last-step").open = true;
  layers.mark();
  layers.keepFocus();
  board.mark();
  board.light(look.pose);
  player.mark();
  if (!document.querySelector("#board[data-missing]")) loadChosenSnags();
  screen.dataset.boards = String(Number(screen.dataset.boards ?? 0) + 1);
}

function loadChosenSnags() {
  if (board.pose !== null && board.at(board.pose, board.row)) snags.load(board.pose, board.row);
}

async function goTo(to) {
  history.replaceState(null, "", `/fitting/${fitting}?station=${to}`);
  await refresh(to);
}

document.body.addEventListener("click", (e) => {
  const to = e.target.closest("[data-station]:not(aside)");
  if (to) {
    e.preventDefault();
    goTo(Number(to.dataset.station));
  }
  snags.press(e.target);
  const finding = e.target.closest(".finding[data-spot]");
  if (finding) scene.seeSpot(finding.dataset.spot.split(",").map(Number));
  const fromPose = e.target.closest(".from-pose");
  if (fromPose) seatFromPose(fromPose.dataset.piece);
  const kept = e.target.closest(".kept-pose");
  if (kept) {
    joints.clear();
    setPose(facts.poses.lastIndexOf(kept.dataset.pose));
  }
  const against = e.target.closest(".against");
  if (against) compareWith(Number(against.dataset.step));
  if (e.target.closest("#split-end")) endCompare();
  const named = e.target.closest(".choose-snag");
  if (named) chooseSnag(named.dataset);
  const brushed = e.target.closest(".brush-snag");
  if (brushed) brushSnag(brushed.dataset);
  const tried = e.target.closest(".see-tried");
  if (tried) seeTried(Number(tried.dataset.seq));
  if (e.target.closest("#joint-rest")) joints.oneBack();
  if (e.target.closest("#turns-mirrored")) joints.mirror(facts.joints.map((j) => j.partner));
  if (e.target.closest("#swing-joint")) swingJoint();
  if (e.target.closest("#brush-on")) brush.toggle();
  if (e.target.closest("#to-worst")) board.chooseWorst();
  const cell = e.target.closest(".to-cell");
  if (cell) board.goTo(Number(cell.dataset.pose), Number(cell.dataset.row), cell.textContent.trim());
  if (e.target.closest("#look-rest")) {
    lookAtRest();
    scene.seeWhole();
  }
  if (e.target.closest("#help")) document.getElementById("keys").showModal();
  if (!e.target.closest(".steps")) document.querySelector(".steps")?.removeAttribute("open");
});

for (const button of document.querySelectorAll(".maps button")) {
  button.addEventListener("click", () => {
    setMap(button.dataset.map);
    askView();
  });
}
document.getElementById("whole").addEventListener("click", () => scene.seeWhole());
function toggle(id, field) {
  const button = document.getElementById(id);
  scene[field] = !scene[field];
  button.setAttribute("aria-pressed", scene[field]);
  scene.applyShown();
}
document.getElementById("lines").addEventListener("click", () => toggle("lines", "showEdges"));
document.getElementById("through").addEventListener("click", () => toggle("through", "sheer"));

// A pose as it is now is kept under a name.
document.body.addEventListener("submit", async (e) => {
  if (e.target.id !== "keep-pose") return;
  e.preventDefault();
  const name = e.target.elements.name.value;
  const { pose, turns } = request();
  work.watch(await takeStep(fitting, { do: "keep_pose", name, pose, turns }));
});

// What easing would do is shown while its numbers are set.
document.body.addEventListener("input", async (e) => {
  const form = e.target.closest(".ease-form");
  if (!form) return;
  const number = (name) => (form.elements[name].value === "" ? null : Number(form.elements[name].value));
  if (number("least") === null) return;
  const chosen = form.elements.chosen.checked ? choosing.chosenOn(Number(form.dataset.piece)) : "everything";
  const says = form.nextElementSibling;
  if (chosen === null) {
    says.textContent = "nothing is chosen on it: open Weights by hand, in Binding";
    return;
  }
  const body = { chosen, least_mm: number("least"), most_mm: number("most") };
  if (look.map !== "clearance" || look.pose !== 0) await lookAtRest();
  const { parts, figures } = await postForPreview(`/fitting/${fitting}/ease-view/${form.dataset.piece}`, body);
  scene.setView(parts, "clearance");
  const most = figures.most_mm.toFixed(1);
  says.textContent = `would move ${figures.vertices} vertices, at most ${most} mm`;
});

// What more or less of a shape would do is shown while its slider is moved; where it is let go it stays.
document.body.addEventListener("input", async (e) => {
  const slider = e.target.closest(".worn-shape input");
  if (!slider) return;
  slider.nextElementSibling.textContent = `${slider.value} %`;
  // What the body wears is a form of its own.
  if (slider.form) return;
  const body = { shape: Number(slider.dataset.shape), amount: Number(slider.value) / 100 };
  if (look.map !== "clearance" || look.pose !== 0) await lookAtRest();
  const { parts, figures } = await postForPreview(`/fitting/${fitting}/shape-view/${slider.dataset.piece}`, body);
  // Another place of the slider may have been asked meanwhile.
  if (Number(slider.value) / 100 !== body.amount) return;
  scene.setView(parts, "clearance");
  slider.closest(".worn-shapes").querySelector(".would").textContent = `now: ${figures}`;
});
let letGo = null;
document.body.addEventListener("change", (e) => {
  // What the brush changes is looked at.
  if (e.target.id === "brush-into") shapes.only(e.target.selectedOptions[0].dataset.shape);
  if (["brush-in-pose", "brush-stroke"].includes(e.target.id)) brush.begin();
  const slider = e.target.closest(".worn-shape input");
  if (!slider || slider.form) return;
  // Moved by keys it changes with each: it is one step when the hand rests.
  clearTimeout(letGo);
  letGo = setTimeout(async () => {
    const { piece, shape } = slider.dataset;
    const worn = { piece: Number(piece), shape: Number(shape), amount: Number(slider.value) / 100 };
    work.watch(await takeStep(fitting, { do: "wear_shape", ...worn }));
  }, 350);
});

// The brush is used on the cloth: its form sends nothing by itself.
document.body.addEventListener("submit", (e) => {
  if (e.target.id === "brush-form") e.preventDefault();
});

document.body.addEventListener("fitting-changed", () => refresh());
listenForFiles(() => refresh());
listenToBoardEdge(screen);
function showWeightsOf(name) {
  joints.pickByName(name);
  setMap("weights");
  askView();
}
listenToJointTable(showWeightsOf);
listenToPieceJoints(showWeightsOf);
listenToRegions((name) => {
  setMap("weights");
  joints.pickByName(name);
});

async function probe(x, y) {
  const asked = { ...request(), ...scene.ray(x, y), hidden: scene.hiddenParts() };
  return postForJson(`/fitting/${fitting}/probe`, asked);
}
const rangeHere = new RangeHere(fitting, joints, request);
const pull = new Pull(canvas, fitting, { scene, joints, request, probe, draw: () => drawPulled() });
const skeleton = new Skeleton(canvas, fitting, {
  scene, joints, request, facts: () => facts.joints, isStill: () => player.running !== true,
});
const busy = () => brush.on || byHand.brushing || pull.on || choosing.mode !== null;
new Hover(canvas, probe, () => facts !== null && !busy(), () => facts.tolerance_mm);

// The pose alone while a limb is pulled; what is measured of it follows when the hand rests.
let rests = null;
async function drawPulled() {
  player.stop();
  scene.setPose(readPoses(await postForBytes(`/fitting/${fitting}/pose`, request()))[0]);
  clearTimeout(rests);
  rests = setTimeout(() => askView(), 250);
}

// What is under the pointer of one piece, whatever lies over it.
async function probeOf(x, y, piece) {
  const hidden = facts.parts.map((p) => p.id).filter((id) => id !== piece);
  return postForJson(`/fitting/${fitting}/probe`, { ...request(), ...scene.ray(x, y), hidden });
}

// While a piece is worked on, what lies over it turns sheer.
function clearTheWay(piece) {
  const at = facts ? facts.parts.findIndex((p) => p.id === piece) : -1;
  scene.setAutoSheer(at < 0 ? [] : facts.parts.slice(at + 1).map((p) => p.id));
}
// Only the piece that is chosen on, then that and what lies beneath it, then all of it again.
let alone = 0;
function onlyThis() {
  const at = facts.parts.findIndex((p) => p.id === choosing.piece);
  if (at < 0) return;
  alone = (alone + 1) % 3;
  facts.parts.forEach((p, i) => {
    const seen = alone === 0 || i === at || (alone === 2 && i < at);
    scene.setShown(p.id, seen ? "shown" : "hidden");
  });
  layers.mark();
}

const stage = {
  scene, joints, request, clearTheWay,
  probe: probeOf,
  parts: () => facts?.parts ?? [],
  joint: () => joints.names?.[joints.joint] ?? "",
  show: (joint) => showWeightsOf(joint),
};
const choosing = new Choosing(canvas, fitting, stage, (found) => {
  tool.show(found);
  byHand.show(found);
  handles.follow();
});
const tool = new Tool(fitting, choosing, stage, (job) => work.watch(job));
const moving = new Moving(tool, choosing, stage, () => handles.follow());
const handles = new Handles(scene, [moving, new Placing(scene)]);
listenForSteps({ choosing, request });
const locks = new Locks(fitting, () => joints.names ?? [], stage.joint, () => choosing.ask());
const byHand = new ByHand(canvas, fitting, choosing, stage, locks, (job) => work.watch(job));

// A click that does not drag picks the joint that moves the vertex most.
let pressed = null;
canvas.addEventListener("pointerdown", (e) => {
  pressed = [e.clientX, e.clientY];
  canvas.focus();
});
canvas.addEventListener("pointerup", async (e) => {
  if (e.button !== 0 || busy() || !pressed || Math.hypot(e.clientX - pressed[0], e.clientY - pressed[1]) > 4) return;
  // Where a piece is chosen on, what lies over it is sheer: a click means that piece.
  const [x, y] = [e.clientX, e.clientY];
  const found = await (choosing.way === null ? probe(x, y) : probeOf(x, y, choosing.way));
  picked.set(found);
  byHand.note(found);
  const heaviest = found?.weights.reduce((a, b) => (b[1] > a[1] ? b : a));
  if (heaviest) joints.pickByName(heaviest[0]);
});

const press = (id) => document.getElementById(id)?.click();
async function pressAt(to, id) {
  if (!document.getElementById(id)) await goTo(to);
  press(id);
}
const MAPS = ["plain", "weights", "regions", "matched", "sides", "hidden", "clearance", "strain", "turned"];
const actions = {
  "?": () => document.getElementById("keys").showModal(),
  ".": () => board.chooseNext(),
  0: () => scene.seeWhole(),
  "Shift F": () => scene.seeFrom(0, 0, 1),
  "Shift B": () => scene.seeFrom(0, 0, -1),
  "Shift L": () => scene.seeFrom(1, 0, 0),
  "Shift R": () => scene.seeFrom(-1, 0, 0),
  "Shift T": () => scene.seeFrom(0, 1, 0.001),
  y: () => onlyThis(),
  k: () => layers.nextKind(),
  w: () => layers.nextPlace(),
  " ": () => player.toggle(),
  "<": () => player.frameBy(-1),
  ">": () => player.frameBy(1),
  z: () => press("swing-joint"),
  c: () => countOtherwise("pose"),
  v: () => countOtherwise("pair"),
  a: () => choosing.setMode("click"),
  d: () => choosing.setMode("lasso"),
  j: () => choosing.setMode("paint"),
  f: () => byHand.isOpen && byHand.toggleBrush(),
  g: () => tool.reshape("grow"),
  h: () => tool.reshape("shrink"),
  i: () => tool.reshape("invert"),
  n: () => tool.reshape("none"),
  e: () => byHand.isOpen && byHand.again(),
  o: () => byHand.isOpen && byHand.flip(),
  "+": () => byHand.isOpen && byHand.change("add"),
  "-": () => byHand.isOpen && byHand.change("take"),
  "*": () => byHand.isOpen && byHand.change("times", 0.9),
  "[": () => layers.moveBy(-1),
  "]": () => layers.moveBy(1),
  "Shift ArrowLeft": () => handles.nudge(0, -1),
  "Shift ArrowRight": () => handles.nudge(0, 1),
  "Shift ArrowUp": () => handles.nudge(1, 1),
  "Shift ArrowDown": () => handles.nudge(1, -1),
  "Shift PageUp": () => handles.nudge(2, -1),
  "Shift PageDown": () => handles.nudge(2, 1),
  ArrowLeft: () => board.walk(-1, 0),
  ArrowRight: () => board.walk(1, 0),
  ArrowUp: () => board.walk(0, -1),
  ArrowDown: () => board.walk(0, 1),
  b: () => pressAt(3, "bind"),
  p: () => pressAt(5, "push"),
  u: () => press("undo"),
  r: () => press("redo"),
  l: () => press("lines"),
  x: () => press("through"),
  q: () => pull.toggle(),
  ",": () => moving.toggle(),
  "/": () => skeleton.toggle(),
  t: () => joints.toRest(),
  s: () => document.querySelector(".steps").toggleAttribute("open"),
  m: () => {
    setMap(MAPS[(MAPS.indexOf(look.map) + 1) % MAPS.length]);
    askView();
  },
};
for (let n = 1; n <= 6; n++) actions[n] = () => goTo(n);
listen(actions);

async function begin() {
  facts = await getJson(`/fitting/${fitting}/scene`);
  await scene.setParts(facts);
  joints.setJoints(facts.joints);
  shapes.set(facts.shapes);
  setPoses();
  scene.resize();
  scene.seeWhole();
  await setPose(0);
  choosing.setParts();
  await tool.mark(facts.own_shapes);
  await choosing.recall();
  if (screen.dataset.running) work.watch(screen.dataset.running);
  measuring.follow();
  screen.dataset.ready = "1";
}
begin();
