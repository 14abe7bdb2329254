#!/usr/bin/env bash
# Takes all pictures of docs/screenshots anew, of the demo as it is. Look at every one of them.
set -euo pipefail
cd "$(dirname "$0")/.."
bash scripts/test.sh -p tin-cloak --test suite -- --ignored pictures
