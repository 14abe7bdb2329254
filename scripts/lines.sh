#!/usr/bin/env bash
# Refuses lines over 120 characters; what tests expect as text, and what was vendored, is left alone.
set -euo pipefail
cd "$(dirname "$0")/.."
export LC_ALL=C.UTF-8
mapfile -t files < <(git ls-files --cached --others --exclude-standard -- . ':!*.snap' ':!*.png' ':!testdata' \
  ':!*/reference/*.json' ':!*.bvh' ':!*/vendor/*' ':!Cargo.lock')
if grep -nE '^.{121,}' "${files[@]}"; then
  echo "over 120 characters: break these lines"
  exit 1
fi
