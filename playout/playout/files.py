"""Files that are seen whole or not at all, and their names."""

import os
import re
from pathlib import Path


def replace_file(path: Path, body: bytes) -> None:
    """Write a file whole, in place of the one before."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    part.write_bytes(body)
    part.replace(path)


def plain(text: str) -> str:
    """Letters and numbers of a text, as a part of a file's name."""
    return re.sub(r"[^A-Za-z0-9]", "", text)[:40] or "none"
