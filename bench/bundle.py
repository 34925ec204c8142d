"""What the first page loads."""

import gzip
import json

from django.conf import settings

from bench.database import setup


def run() -> list[str]:
    setup()
    folder = settings.FRONTEND
    manifest = json.loads((folder / ".vite" / "manifest.json").read_text())
    entry = manifest["index.html"]
    files = [entry["file"], *(manifest[name]["file"] for name in entry.get("imports", []))]
    size = sum(len(gzip.compress((folder / file).read_bytes())) for file in files)
    return [f"{'scripts of the first page, gzip':<58} {size / 1024:>9.0f} KB"]
