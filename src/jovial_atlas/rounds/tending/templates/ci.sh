#!/bin/sh
# A step of a pipeline, for any of them: reads the site, builds, and checks. It publishes and
# announces nothing. Written by jovial-atlas.
#
#   ATLAS_BASE      revision that a change is held against, as origin/main: guards are looked at
#   ATLAS_OUT       folder for results: atlas.sarif, atlas.xml (JUnit), guarded.sarif
#   ATLAS_PACKAGE   what is installed where the tool is missing: a name, a file or an address
set -eu

site={{ shell(site_file) }}
out=${ATLAS_OUT:-atlas-results}
mkdir -p "$out"

if ! command -v jovial-atlas >/dev/null 2>&1; then
    python3 -m venv .atlas-venv
    .atlas-venv/bin/pip install --quiet "${ATLAS_PACKAGE:-{{ requirement }}}"
    PATH="$PWD/.atlas-venv/bin:$PATH"
fi

jovial-atlas --site "$site" survey --accept
jovial-atlas --site "$site" build --accept

code=0
jovial-atlas --site "$site" check --format sarif > "$out/atlas.sarif" || code=$?
jovial-atlas --site "$site" check --format junit > "$out/atlas.xml" || code=$?
jovial-atlas --site "$site" check --brief || true
if [ -n "${ATLAS_BASE:-}" ]; then
    jovial-atlas --site "$site" rules guarded "$ATLAS_BASE" --format sarif > "$out/guarded.sarif" || code=$?
    jovial-atlas --site "$site" rules guarded "$ATLAS_BASE" || true
fi
exit "$code"
