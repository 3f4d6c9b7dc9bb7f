"""Files generated from the code: the OpenAPI schema's TypeScript types, JSON Schemas, the checks, the demo's lists."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from django.conf import settings

from highmoor.core.catalogue.reading.schemas import description_schema, register_map_schema
from highmoor.core.project.exchange_format import json_schema
from highmoor.core.project.reporting import checks_document
from highmoor.core.safety.seal.bearing import bearing_document
from highmoor.server.inbox import inbox, same_table


def generate(*, check: bool) -> int:
    """Write the generated files, or with `check` say which are not current (exit code 1)."""
    root: Path = settings.ROOT
    wanted = {
        root / "docs" / "plant.schema.json": json.dumps(json_schema(), indent=1) + "\n",
        root / "docs" / "description.schema.json": json.dumps(description_schema(), indent=1) + "\n",
        root / "docs" / "register-map.schema.json": json.dumps(register_map_schema(), indent=1) + "\n",
        root / "docs" / "checks.md": checks_document(),
        root / "docs" / "seal.md": bearing_document(),
        root / "web" / "src" / "api" / "generated.d.ts": _api_types(root / "web"),
    }
    outdated = [path for path, text in wanted.items() if not path.exists() or path.read_text() != text]
    for path in outdated:
        if check:
            print(f"{path.relative_to(root)} is not current: run .venv/bin/python -m highmoor.server generate")
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(wanted[path])
        print(f"written: {path.relative_to(root)}")
    lists = {root / "demo" / "inbox" / name: octets for name, octets in inbox().items()}
    stale = [path for path, octets in lists.items() if not same_table(path, octets)]
    for path in stale:
        if check:
            print(f"{path.relative_to(root)} is not current: run .venv/bin/python -m highmoor.server generate")
            continue
        path.write_bytes(lists[path])
        print(f"written: {path.relative_to(root)}")
    return 1 if check and (outdated or stale) else 0


def _api_types(web: Path) -> str:
    from highmoor.server.api import api

    with tempfile.TemporaryDirectory() as folder:
        schema, types = Path(folder) / "schema.json", Path(folder) / "types.d.ts"
        schema.write_text(json.dumps(api.get_openapi_schema(), default=str))
        command = ["npx", "--no-install", "openapi-typescript", str(schema), "-o", str(types)]
        done = subprocess.run(command, cwd=web, capture_output=True, text=True, check=False)
        if done.returncode:
            sys.stderr.write(done.stdout + done.stderr)
            raise SystemExit(done.returncode)
        return types.read_text()
