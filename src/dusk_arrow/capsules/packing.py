"""Files in one .zip with a manifest of their hashes: written so that the same contents make the same bytes, read with care."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Mapping
from typing import Any

from dusk_arrow import __version__
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.writing import zipped

MANIFEST = "manifest.json"
MOST_FILES, MOST_BYTES = 2_000, 600_000_000


def damaged(message: str) -> ProblemError:
    """What is raised where a file cannot be used."""
    return ProblemError([Problem("capsule_unreadable", "error", message)])


def pack(kind: str, files: Mapping[str, bytes | str]) -> bytes:
    """A .zip of files by their names, and a manifest of what they are, by which version, with their hashes (SHA-256)."""
    contents = {name: value.encode() if isinstance(value, str) else value for name, value in files.items()}
    hashes = {name: hashlib.sha256(value).hexdigest() for name, value in sorted(contents.items())}
    manifest = {"kind": kind, "version": 1, "program": f"Dusk Arrow {__version__}", "sha256": hashes}
    return zipped({MANIFEST: json.dumps(manifest, indent=1).encode(), **contents})


def kind_of(content: bytes) -> str | None:
    """What kind of bundle a file is; None where it is none of ours."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as bundle:
            if bundle.getinfo(MANIFEST).file_size > 1_000_000:
                return None
            found = json.loads(bundle.read(MANIFEST))
            return str(found["kind"])
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, OSError, EOFError):
        return None


def unpack(content: bytes, kind: str) -> dict[str, bytes]:
    """The files of a bundle of a kind. Raises ProblemError where it is another, too large, or was changed since."""
    if kind_of(content) != kind:
        raise damaged(f"This is no {kind}: its manifest is missing or says something else.")
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as bundle:
            infos = bundle.infolist()
            if len(infos) > MOST_FILES or sum(info.file_size for info in infos) > MOST_BYTES:
                raise damaged(f"This {kind} is too large to be opened.")
            files = {info.filename: bundle.read(info) for info in infos}
            hashes: dict[str, Any] = json.loads(files.pop(MANIFEST))["sha256"]
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, OSError, EOFError):
        raise damaged(f"This {kind} is damaged.") from None
    wrong = [name for name, value in files.items() if hashes.get(name) != hashlib.sha256(value).hexdigest()]
    wrong += [name for name in hashes if name not in files]
    if wrong:
        raise damaged(f"This {kind} is not as it was saved: {wrong[0]} was changed.")
    return files
