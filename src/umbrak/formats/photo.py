"""Photos from the bench: bounded, turned upright, written anew without anything but the picture."""

from __future__ import annotations

import io
import warnings

from umbrak.formats.apart import read_apart
from umbrak.formats.faults import Fault, InputError

MAX_PHOTO_BYTES = 12 << 20
#: A phone's largest; what unpacks to more is no photo.
MAX_PIXELS = 60_000_000
#: What reading one may take [bytes]: its points stand in memory at once, whatever the file's size.
MAX_MEMORY = 512 << 20
#: The longer side of what is kept. [px]
KEPT_SIDE = 1600


def clean_photo(raw: bytes) -> bytes:
    """A photo as JPEG: at most KEPT_SIDE a side, no place, no camera, nothing that was hidden in it.

    Raises InputError where it is no picture, or too large.
    """
    if len(raw) > MAX_PHOTO_BYTES:
        raise InputError("too-large", [Fault(f"a photo has at most {MAX_PHOTO_BYTES >> 20} MiB", "photo")])
    return read_apart("photo", raw, MAX_MEMORY)


def written_anew(raw: bytes) -> bytes:
    """`clean_photo`'s work, done in a process apart."""
    from PIL import Image, ImageOps

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(raw), formats=("JPEG", "PNG", "WEBP")) as picture:
                if picture.width * picture.height > MAX_PIXELS:
                    raise InputError(
                        "too-large", [Fault(f"a photo has at most {MAX_PIXELS // 10**6} million points", "photo")]
                    )
                picture.draft("RGB", (KEPT_SIDE, KEPT_SIDE))
                picture.thumbnail((2 * KEPT_SIDE, 2 * KEPT_SIDE))
                upright = ImageOps.exif_transpose(picture).convert("RGB")
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombWarning, Image.DecompressionBombError) as error:
        raise InputError(
            "no-photo", [Fault("this is no JPEG, PNG or WebP picture that can be read", "photo")]
        ) from error
    upright.thumbnail((KEPT_SIDE, KEPT_SIDE))
    out = io.BytesIO()
    # A picture made of the points alone: whatever else the file carried stays behind.
    Image.frombytes("RGB", upright.size, upright.tobytes()).save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()
