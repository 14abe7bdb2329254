#!/usr/bin/env bash
# Fetches what the pages need, with pinned versions, into crates/web/static/vendor.
# Run it only to change a version: the result is committed and nothing is fetched at run time.
set -euo pipefail
cd "$(dirname "$0")/.."
out=crates/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
# A package as it is; what only helps here is installed beside them.
fetch() {
  mkdir -p "$work/$2"
  (cd "$work" && npm pack --silent "$1" >/dev/null && tar xzf ./*.tgz -C "$2" --strip-components=1 && rm ./*.tgz)
}

fetch three@0.187.0 three
fetch htmx.org@2.0.11 htmx
fetch bootstrap@5.3.9 bootstrap
fetch @fontsource/asap-condensed@5.3.0 font

rm -rf "$out" && mkdir -p "$out"
npm install --silent --no-audit --no-fund --prefix "$work" esbuild@0.25.10 purgecss@7.0.2 >/dev/null
# Of three.js only what the scripts name, minified: run this again when they use more of it.
mkdir -p "$work/node_modules" && mv "$work/three" "$work/node_modules/three"
names=$(grep -ohE 'THREE\.\w+' crates/web/static/js/*.js | sed 's/THREE\.//' | sort -u | paste -sd,)
{
  echo "export { $names } from 'three';"
  echo "export { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';"
} > "$work/three.js"
echo "export { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js';" > "$work/gltf-loader.js"
"$work/node_modules/.bin/esbuild" "$work/three.js" "$work/gltf-loader.js" --bundle --minify --format=esm --splitting \
  --legal-comments=none --chunk-names=three-shared --outdir="$out" --log-level=error
cp "$work/htmx/dist/htmx.min.js" "$out/"
# Of Bootstrap only what pages and scripts name: run this again when a class of it is used for the first time.
"$work/node_modules/.bin/purgecss" --css "$work/bootstrap/dist/css/bootstrap.min.css" --variables --keyframes \
  --content 'crates/web/templates/*.html' 'crates/web/static/js/*.js' 'crates/web/src/*.rs' \
  --output "$out/bootstrap.min.css"
sed -i 's#/\*\# sourceMappingURL.*##' "$out/bootstrap.min.css"
for w in 400 500 600 700; do cp "$work/font/files/asap-condensed-latin-$w-normal.woff2" "$out/"; done
cp "$work/node_modules/three/LICENSE" "$out/LICENSE-three"
for p in htmx bootstrap font; do cp "$work/$p/LICENSE" "$out/LICENSE-$p"; done
ls -l "$out"
