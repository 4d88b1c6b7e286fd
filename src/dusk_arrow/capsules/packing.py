"""Files in one .zip with a manifest of their hashes: written so that the same contents make the same bytes, read with care."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from pydantic import ValidationError

from dusk_arrow import __version__
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.texts import one_line
from dusk_arrow.exchange.texts import what_is_wrong
from dusk_arrow.exchange.writing import zipped

MANIFEST = "manifest.json"
MOST_FILES, MOST_BYTES = 2_000, 260_000_000
T = TypeVar("T")


def damaged(message: str) -> ProblemError:
    """What is raised where a file cannot be used."""
    return ProblemError([Problem("capsule_unreadable", "error", message)])


def in_words(what: str, read: Callable[[], T]) -> T:
    """What is read from a file that anybody may have made: whatever goes wrong is answered in words. Raises ProblemError."""
    try:
        return read()
    except ProblemError:
        raise
    except ValidationError as error:
        raise damaged(f"This {what} cannot be opened: {what_is_wrong(error, 'its record')}") from None
    except KeyError as error:
        raise damaged(f"This {what} cannot be opened: {one_line(str(error))[:160]} is missing in it.") from None
    except MemoryError:
        raise damaged(f"This {what} is too large to be opened.") from None
    except RecursionError:
        raise damaged(f"This {what} cannot be opened: it is nested too deep.") from None
    except Exception as error:
        said = one_line(str(error))[:160] or type(error).__name__
        raise damaged(f"This {what} cannot be opened ({said}).") from None


def pack(kind: str, files: Mapping[str, bytes | str]) -> bytes:
    """A .zip of files by their names, and a manifest of what they are, by which version, with their hashes (SHA-256). Raises
    ProblemError where it would be too large to be opened again."""
    contents = {name: value.encode() if isinstance(value, str) else value for name, value in files.items()}
    size = sum(map(len, contents.values()))
    if len(contents) >= MOST_FILES or size > MOST_BYTES - 2_000_000:
        message = f"This {kind} holds {size / 1e6:.0f} MB, and files of up to {MOST_BYTES / 1e6:.0f} MB are opened. ./dusk backup keeps all."
        raise ProblemError([Problem("bundle_too_large", "error", message)])
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
