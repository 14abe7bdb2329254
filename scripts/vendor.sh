#!/usr/bin/env bash
# Fetches what the pages need, with pinned versions, into crates/web/static/vendor.
# Run it only to change a version: the result is committed and nothing is fetched at run time.
set -euo pipefail
cd "$(dirname "$0")/.."
out=crates/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
fetch() {
  mkdir -p "$work/$2"
  (cd "$work" && npm pack --silent "$1" >/dev/null && tar xzf ./*.tgz -C "$2" --strip-components=1 && rm ./*.tgz)
}

fetch three@0.187.0 three
fetch htmx.org@2.0.11 htmx
fetch bootstrap@5.3.9 bootstrap
fetch @fontsource/asap-condensed@5.3.0 font

rm -rf "$out" && mkdir -p "$out"
cp "$work/three/build/three.module.js" "$work/three/build/three.core.js" "$out/"
# The page has no import map (that would be an inline script): name the file itself.
controls=$work/three/examples/jsm/controls/OrbitControls.js
sed "s#from 'three'#from './three.module.js'#" "$controls" > "$out/orbit-controls.js"
loader() {
  sed "s#from 'three'#from './three.module.js'#; s#'../utils/BufferGeometryUtils.js'#'./buffer-geometry-utils.js'#; \
    s#'../utils/SkeletonUtils.js'#'./skeleton-utils.js'#" "$work/three/examples/jsm/$1" > "$out/$2"
}
loader loaders/GLTFLoader.js gltf-loader.js
loader utils/BufferGeometryUtils.js buffer-geometry-utils.js
loader utils/SkeletonUtils.js skeleton-utils.js
cp "$work/htmx/dist/htmx.min.js" "$out/"
cp "$work/bootstrap/dist/css/bootstrap.min.css" "$out/"
sed -i 's#/\*\# sourceMappingURL.*##' "$out/bootstrap.min.css"
for w in 400 500 600 700; do cp "$work/font/files/asap-condensed-latin-$w-normal.woff2" "$out/"; done
for p in three htmx bootstrap font; do cp "$work/$p/LICENSE" "$out/LICENSE-$p"; done
ls -l "$out"
