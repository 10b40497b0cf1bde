"""Pictures that people give, made anew: small, upright, without what a camera writes into them."""

from __future__ import annotations

import io

from PIL import Image, ImageOps, UnidentifiedImageError

from archgate.core.faults import refuse

KINDS = ("JPEG", "PNG", "WEBP")
SIDE = 480  # pixels, of a square that a picture fits into
MOST_PIXELS = 50_000_000


def picture_read(data: bytes) -> bytes:
    """A JPEG of at most `SIDE` by `SIDE` pixels. Raises Refused at /file for what is no picture, or one too large."""
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise refuse("/file", f"A picture has at most {MOST_PIXELS // 1_000_000} million pixels.")
            picture.draft("RGB", (SIDE * 2, SIDE * 2))
            upright = ImageOps.exif_transpose(picture)
            plain = Image.new("RGB", upright.size, "white")
            opaque = upright.convert("RGBA")
            plain.paste(opaque, mask=opaque.getchannel("A"))
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise refuse("/file", "This is no picture; a JPEG, PNG or WebP file is.") from None
    plain.thumbnail((SIDE, SIDE))
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=85)
    return out.getvalue()
