"""Matrix products whose columns do not depend on one another.

BLAS works through whole tiles of columns and treats the columns left over otherwise, so that the same
column may differ in its last bit when others stand beside it. Sound must not depend on where a block
was cut, so columns are always whole tiles here.
"""

from __future__ import annotations

import numpy as np

TILE = 16  # columns; 16 float32 are the widest vector register


def padded(columns: int) -> int:
    """The next whole number of tiles."""
    return -(-columns // TILE) * TILE


def product(matrix: np.ndarray, sound: np.ndarray) -> np.ndarray:
    """``matrix`` (rows, k) @ ``sound`` (k, columns), float32: every column the same however many there are."""
    rows, columns = len(matrix), sound.shape[1]
    if rows == 1:
        # A single row is another routine of BLAS.
        matrix = np.vstack((matrix, matrix))
    if columns % TILE:
        whole = np.zeros((len(sound), padded(columns)), dtype=np.float32)
        whole[:, :columns] = sound
        sound = whole
    made: np.ndarray = matrix @ sound
    return made[:rows, :columns]
