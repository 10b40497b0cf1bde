"""Pictures that people give, made anew: small, upright, without what a camera writes into them."""

from __future__ import annotations

import io
from dataclasses import dataclass

from PIL import Image, ImageOps, UnidentifiedImageError

from archgate.core.faults import refuse

KINDS = ("JPEG", "PNG", "WEBP")
SIDE = 480  # pixels, of a square that a picture of a person fits into
LARGE, SMALL = 1600, 640  # pixels, of the longer side of a picture on a page, and in a list
MOST_PIXELS = 50_000_000


@dataclass(frozen=True)
class Sizes:
    """A picture as pages show it: two JPEGs, and the pixels of the large one."""

    width: int
    height: int
    large: bytes
    small: bytes


def picture_read(data: bytes) -> bytes:
    """A JPEG of at most `SIDE` by `SIDE` pixels. Raises Refused at /file for what is no picture, or one too large."""
    return _jpeg(_plain(data, SIDE * 2), SIDE)[0]


def sizes_read(data: bytes) -> Sizes:
    """The sizes of a picture for a page. Raises Refused at /file as `picture_read` does."""
    plain = _plain(data, LARGE * 2)
    small, _ = _jpeg(plain.copy(), SMALL)
    large, (width, height) = _jpeg(plain, LARGE)
    return Sizes(width, height, large, small)


def _plain(data: bytes, wanted: int) -> Image.Image:
    """The picture upright on white; a JPEG is read at about the size that is `wanted`."""
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise refuse("/file", f"A picture has at most {MOST_PIXELS // 1_000_000} million pixels.")
            picture.draft("RGB", (wanted, wanted))
            upright = ImageOps.exif_transpose(picture)
            plain = Image.new("RGB", upright.size, "white")
            opaque = upright.convert("RGBA")
            plain.paste(opaque, mask=opaque.getchannel("A"))
            return plain
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise refuse("/file", "This is no picture; a JPEG, PNG or WebP file is.") from None


def _jpeg(plain: Image.Image, side: int) -> tuple[bytes, tuple[int, int]]:
    plain.thumbnail((side, side))
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=85, progressive=True)
    return out.getvalue(), plain.size
