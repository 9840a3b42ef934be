"""Independent checkers of exchange files."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

VENV = Path(sys.prefix)
_SCRIPT = """
const validator = require('gltf-validator'), fs = require('fs');
validator.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])), {maxIssues: 200})
    .then(report => console.log(JSON.stringify(report.issues)));
"""


def gltf_issues(path: Path) -> list[str]:
    """Errors and warnings that Khronos' validator has about a GLB; see `scripts/gltf_validator.sh`."""
    node = shutil.which("node") or str(VENV / "bin" / "node")
    modules = os.environ | {"NODE_PATH": str(VENV / "validator" / "node_modules")}
    ran = subprocess.run(
        [node, "-e", _SCRIPT, str(path)], capture_output=True, text=True, env=modules, timeout=120, check=True
    )
    found = json.loads(ran.stdout)["messages"]
    return [f"{issue['code']} at {issue['pointer']}" for issue in found if issue["severity"] < 2]
