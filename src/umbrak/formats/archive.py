"""Files out of an archive, within bounds."""

from __future__ import annotations

import io
import zipfile
from pathlib import PurePosixPath

from umbrak.formats.faults import Fault, InputError


def unpacked(name: str, raw: bytes, *, most_files: int, most_bytes: int) -> list[tuple[str, bytes]]:
    """An archive's files by name, without their folders, or the file itself where it is none.

    What an archive says of its sizes is checked before anything is unpacked; the library reads no more of a member than
    its entry says.

    Raises
        InputError   an archive that cannot be unpacked, or that unpacks to too much
    """
    if not raw.startswith(b"PK\x03\x04"):
        return [(name, raw)]
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as archive:
            members = [
                m for m in archive.infolist() if not m.is_dir() and not PurePosixPath(m.filename).name.startswith(".")
            ]
            if len(members) > most_files or sum(m.file_size for m in members) > most_bytes:
                message = f"{name} unpacks to more than {most_files} files or {most_bytes >> 20} MiB."
                raise InputError("too-large", [Fault(message)])
            return [(PurePosixPath(m.filename).name, archive.read(m)) for m in members]
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError, EOFError) as error:
        raise InputError("broken", [Fault(f"{name} is no archive that can be unpacked: {error}.")]) from error
