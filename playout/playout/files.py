"""Files that are seen whole or not at all."""

import os
from pathlib import Path


def replace_file(path: Path, body: bytes) -> None:
    """Write a file whole, in place of the one before."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    part.write_bytes(body)
    part.replace(path)
