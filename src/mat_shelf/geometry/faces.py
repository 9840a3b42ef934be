"""Lists of faces, in the form in which they are kept: runs of neighbouring numbers."""

import numpy as np


class FacesError(ValueError):
    """A list of faces that is damaged."""


def faces_bytes(faces) -> bytes:
    """A sorted list of face numbers as bytes: pairs of little-endian uint32, how many to pass and how many to take.

    Parameters
    ----------
    faces : (F,) bool
        Faces.

    Returns
    -------
    bytes
    """
    faces = np.unique(np.asarray(faces, np.int64))
    starts = np.flatnonzero(np.r_[True, np.diff(faces) != 1]) if len(faces) else np.zeros(0, np.int64)
    first = faces[starts]
    lengths = np.diff(np.r_[starts, len(faces)])
    passed = first - np.r_[0, first[:-1] + lengths[:-1]] if len(first) else first
    return np.stack([passed, lengths], axis=1).astype("<u4").tobytes()


def read_faces(data: bytes, most: int) -> np.ndarray:
    """The list that `faces_bytes` made, (N,) int32, sorted.

    Parameters
    ----------
    data : bytes
        Content of the file.
    most : int
        Faces of the part that they are of; a list that names others is refused before it is unpacked.

    Returns
    -------
    (N,) int32

    Raises
    ------
    FacesError
    """
    if len(data) % 8 or len(data) // 8 > most:
        raise FacesError("the list of faces is damaged")
    pairs = np.frombuffer(data, "<u4").reshape(-1, 2).astype(np.int64)
    ends = np.cumsum(pairs.sum(axis=1))
    if len(ends) and ends[-1] > most:
        raise FacesError("the list claims faces that its part does not have")
    if (pairs[:, 1] == 0).any():
        raise FacesError("the list of faces is damaged")
    lengths = pairs[:, 1]
    firsts = ends - lengths
    offsets = np.arange(int(lengths.sum())) - np.repeat(np.cumsum(lengths) - lengths, lengths)
    return (np.repeat(firsts, lengths) + offsets).astype(np.int32)
