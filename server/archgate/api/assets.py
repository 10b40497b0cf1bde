"""The files of the built front end that the public pages name: their style, and the script of their forms."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from pydantic import BaseModel, TypeAdapter

STYLE, SCRIPT = "src/public/pages.css", "src/public/main.tsx"


class Built(BaseModel):
    """An entry of the list that the build writes of its files."""

    file: str
    css: list[str] = []
    imports: list[str] = []


@dataclass(frozen=True)
class Assets:
    style: str = ""
    script: str = ""
    script_styles: tuple[str, ...] = ()


@lru_cache
def assets_of(directory: Path) -> Assets:
    """The addresses of style and script, from the list of the build; empty where nothing is built."""
    listed = directory / ".vite" / "manifest.json"
    if not listed.exists():
        return Assets()
    built = TypeAdapter(dict[str, Built]).validate_json(listed.read_bytes())
    style, script = built.get(STYLE), built.get(SCRIPT)
    styles: dict[str, None] = {}
    names, seen = [SCRIPT] if script else [], set()
    while names:
        name = names.pop()
        if name in seen or name not in built:
            continue
        seen.add(name)
        styles.update(dict.fromkeys(built[name].css))
        names += built[name].imports
    return Assets(
        f"/{style.file}" if style else "",
        f"/{script.file}" if script else "",
        tuple(f"/{name}" for name in styles),
    )
