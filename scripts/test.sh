#!/usr/bin/env bash
# Runs every test, on a fresh machine too: installs the browser for the page tests and the
# public glTF validator, OpenUSD and axe-core for the tests when they are missing. Words behind it go to cargo:
# `bash scripts/test.sh -p tin-cloak-core geodesic`.
set -euo pipefail
cd "$(dirname "$0")/.."

if ! command -v chromium >/dev/null || ! command -v chromedriver >/dev/null; then
  apt-get update -qq
  apt-get install -y -qq chromium chromium-driver >/dev/null
fi
if [ ! -d target/gltf-validator/node_modules/gltf-validator ]; then
  command -v npm >/dev/null || apt-get install -y -qq nodejs npm >/dev/null
  mkdir -p target/gltf-validator
  npm install --silent --no-audit --no-fund --prefix target/gltf-validator gltf-validator@2.0.0-dev.3.10
fi
# What the page tests ask about accessibility.
if [ ! -d target/axe/node_modules/axe-core ]; then
  mkdir -p target/axe
  npm install --silent --no-audit --no-fund --prefix target/axe axe-core@4.14.1
fi
# OpenUSD itself, which the tests of USD files ask.
if [ ! -d target/usd-core/pxr ]; then
  python3 -m pip --version >/dev/null 2>&1 || apt-get install -y -qq python3-pip >/dev/null
  python3 -m pip install --quiet --target target/usd-core usd-core==26.11
fi
# Benchmarks, and what they need, are compiled by `cargo bench -p tin-cloak-bench` alone.
case " $* " in
  *" -p "*) cargo test "$@" ;;
  *) cargo test --workspace --exclude tin-cloak-bench "$@" ;;
esac
