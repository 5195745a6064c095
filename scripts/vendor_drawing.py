"""Fetches the drawing package of the page from its registry, with its licence, and writes down versions and checksums.

    python scripts/vendor_drawing.py            # the versions written down, checked against their checksums
    python scripts/vendor_drawing.py --newest   # the newest ones, written down anew

Needs npm.
"""

from __future__ import annotations

import gzip
import hashlib
import json
import subprocess
import sys
import tarfile
from pathlib import Path
from tempfile import TemporaryDirectory

from logochron.views.page.build import DRAWING

FOLDER = Path(__file__).parents[1] / "src" / "logochron" / "views" / "page" / "drawing"


def fetched(name: str, version: str | None, folder: Path) -> tuple[str, str, str]:
    """Version, script and licence of a package."""
    spec = f"{name}@{version}" if version else name
    run = ["npm", "pack", spec, "--silent", "--pack-destination", str(folder)]
    archive = folder / subprocess.run(run, check=True, capture_output=True, text=True).stdout.split()[-1]
    with tarfile.open(archive) as packed:

        def text(inside: str) -> str:
            found = packed.extractfile(f"package/{inside}")
            assert found is not None
            return found.read().decode()

        return json.loads(text("package.json"))["version"], text(f"dist/{name}.min.js"), text("LICENSE")


def main() -> None:
    listed = FOLDER / "versions.json"
    known = json.loads(listed.read_text()) if listed.exists() and "--newest" not in sys.argv else {}
    found, licences = {}, {}
    with TemporaryDirectory() as folder:
        for name in DRAWING:
            version, script, licence = fetched(name, known.get(name, {}).get("version"), Path(folder))
            digest = hashlib.sha256(script.encode()).hexdigest()
            if name in known and known[name]["sha256"] != digest:
                sys.exit(f"{name} {version} has another checksum than {listed.name} says: {digest}")
            found[name] = {"version": version, "sha256": digest}
            licences.setdefault(licence, []).append(name)
            (FOLDER / f"{name}.min.js.gz").write_bytes(gzip.compress(script.encode(), 9, mtime=0))
    listed.write_text(json.dumps(found, indent=2) + "\n")
    texts = (f"{', '.join(names)}:\n\n{licence.strip()}\n" for licence, names in licences.items())
    (FOLDER / "LICENSE").write_text("\n".join(texts))
    print(f"{len(found)} parts, {sum(path.stat().st_size for path in FOLDER.glob('*.gz')):,} bytes")


if __name__ == "__main__":
    main()
