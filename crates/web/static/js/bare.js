// The handed-over file as others open it: by three.js' own loader, which knows nothing of the fitting.
import * as THREE from "../vendor/three.js";
import { GLTFLoader } from "../vendor/gltf-loader.js";
import { OrbitControls } from "../vendor/three.js";

const canvas = document.getElementById("bare-canvas");
const clips = document.getElementById("bare-clip");
const said = document.getElementById("bare-said");
const playing = document.getElementById("bare-play");
const renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
const scene = new THREE.Scene();
const camera = new THREE.PerspectiveCamera(28, 1, 0.02, 40);
const controls = new OrbitControls(camera, canvas);
const clock = new THREE.Timer();
let file = null;
let mixer = null;

scene.background = new THREE.Color(0xf6f2e9);
scene.add(new THREE.HemisphereLight(0xffffff, 0x8a7f70, 2.2));
const sun = new THREE.DirectionalLight(0xffffff, 1.6);
sun.position.set(1.5, 2.5, 3);
scene.add(sun);

function resize() {
  const { clientWidth: w, clientHeight: h } = canvas.parentElement;
  renderer.setSize(w, h, false);
  camera.aspect = w / h;
  camera.updateProjectionMatrix();
}

function seeWhole() {
  const box = new THREE.Box3().setFromObject(file.scene);
  const middle = box.getCenter(new THREE.Vector3());
  const size = box.getSize(new THREE.Vector3()).length();
  controls.target.copy(middle);
  camera.position.copy(middle).add(new THREE.Vector3(0.35, 0.1, 1).multiplyScalar(size * 1.75));
  controls.update();
}

// The clip of a name, none for rest, at a time.
function goTo(name, time = 0) {
  mixer.stopAllAction();
  const clip = file.animations.find((a) => a.name === name);
  if (clip) mixer.clipAction(clip).play();
  mixer.setTime(time);
}

function frame() {
  clock.update();
  if (mixer && playing.getAttribute("aria-pressed") === "true") mixer.update(clock.getDelta());
  renderer.render(scene, camera);
  requestAnimationFrame(frame);
}

// Where the vertices of a mesh are in a clip, as this loader and its skinning have them.
export function vertices(mesh, clip, time) {
  goTo(clip, time);
  file.scene.updateMatrixWorld(true);
  const at = [];
  const found = file.scene.getObjectByName(THREE.PropertyBinding.sanitizeNodeName(mesh));
  found.traverse((part) => {
    if (!part.isMesh) return;
    const place = new THREE.Vector3();
    for (let i = 0; i < part.geometry.attributes.position.count; i++) {
      part.getVertexPosition(i, place);
      part.localToWorld(place);
      at.push(place.x, place.y, place.z);
    }
  });
  return at;
}

clips.addEventListener("change", () => goTo(clips.value));
playing.addEventListener("click", () => {
  playing.setAttribute("aria-pressed", playing.getAttribute("aria-pressed") === "true" ? "false" : "true");
});
new ResizeObserver(resize).observe(canvas.parentElement);

async function begin() {
  try {
    file = await new GLTFLoader().loadAsync(canvas.dataset.file);
  } catch (error) {
    said.textContent = `The loader refused the file: ${error.message}`;
    return;
  }
  scene.add(file.scene);
  mixer = new THREE.AnimationMixer(file.scene);
  for (const clip of file.animations) clips.add(new Option(clip.name, clip.name));
  if (file.animations.length > 0) clips.value = file.animations[0].name;
  goTo(clips.value);
  resize();
  seeWhole();
  let count = 0;
  file.scene.traverse((part) => { if (part.isMesh) count += part.geometry.attributes.position.count; });
  said.textContent = `${count} vertices, ${file.animations.length} clips`;
  canvas.dataset.ready = "1";
  frame();
}
begin();
