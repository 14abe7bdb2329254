// Where the joints of `lamplighter.bvh` are in each of its frames by three.js' own loader (three 0.187.0, MIT):
// the expectations of `../bvh.rs`.
//
//     npm install three@0.187.0
//     node crates/formats/tests/suite/reference/bvh.mjs > crates/formats/tests/suite/reference/bvh.json
import { readFileSync } from "node:fs";
import { AnimationMixer, Group, LoopOnce, Vector3 } from "three";
import { BVHLoader } from "three/examples/jsm/loaders/BVHLoader.js";

const text = readFileSync(new URL("lamplighter.bvh", import.meta.url), "utf8");
const { clip, skeleton } = new BVHLoader().parse(text);
const group = new Group();
group.add(skeleton.bones[0]);
const mixer = new AnimationMixer(group);
const action = mixer.clipAction(clip).setLoop(LoopOnce);
action.clampWhenFinished = true;
action.play();
const told = [];
for (let frame = 0; frame < 4; frame++) {
  mixer.setTime(frame * 0.04);
  group.updateMatrixWorld(true);
  const at = {};
  for (const bone of skeleton.bones) {
    if (bone.name === "ENDSITE") continue;
    at[bone.name] = bone.getWorldPosition(new Vector3()).toArray().map((x) => Math.round(x * 1e5) / 1e5);
  }
  told.push(at);
}
console.log(JSON.stringify(told, null, 1));
