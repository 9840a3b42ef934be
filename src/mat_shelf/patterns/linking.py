"""Programs brought together for kernels, and checked where one asks for it."""

import os
from collections.abc import Sequence

import numpy as np

from mat_shelf.patterns import interpreter as I  # noqa: E741, N812
from mat_shelf.patterns.interpreter import INSTRUCTION, Pool
from mat_shelf.patterns.operation import RESOURCE
from mat_shelf.patterns.program import Program

_OPERANDS = {
    I.LAY: "c   r",
    I.NEXT_PASS: "r rr",
    I.HEAVIEST: "r",
    I.RUN: "acrrr",
    I.GREY: "rr",
    I.COPY: "rr",
    I.TAP: "rrc r",
    I.TAPPED: "r c r",
    I.FEED: "rrc",
    I.FILL: "rc",
    I.MULTIPLY: "rrr",
    I.ROOT: "rr",
    I.ALBEDO: "rrc",
    I.STORE: "r",
    I.FRAME: "r",
    I.SLOPE: "rrcr",
    I.NORMAL_SLOPE: "rrrrc",
    I.DETAIL: "rr",
    I.TILT: "rr",
    I.LIMIT: "r",
}
"""Which operands of an instruction are registers, constants, addresses."""


def check_program(program: Program) -> None:
    """Makes sure that no instruction reaches beyond its arrays.

    Parameters
    ----------
    program : Program
        The program.

    Raises
    ------
    IndexError
        If one does: a fault of the compiler of programs.
    """
    lengths = {"r": program.registers, "c": len(program.constants), "a": len(program.addresses)}
    for place, line in enumerate(program.code):
        for kind, operand in zip(_OPERANDS.get(int(line[0]), ""), line[1:], strict=False):
            if kind in lengths and not 0 <= operand < lengths[kind] + (kind == "c"):  # some steps have none
                raise IndexError(f"instruction {place}, {line.tolist()}, reaches beyond {lengths}")
        if line[0] == I.RUN and line[4] + line[6] * line[7] > program.registers + (line[4] == 0):
            raise IndexError(f"instruction {place}, {line.tolist()}, reads beyond {program.registers} registers")


def link(programs: Sequence[Program]) -> Pool:
    """Several programs in one pool.

    Parameters
    ----------
    programs : sequence of Program
        The programs.

    Returns
    -------
    Pool
    """
    bases, ends = [], np.zeros(4, np.int64)
    for program in programs:
        if os.environ.get("MAT_SHELF_CHECK") == "1":
            check_program(program)
        sizes = [len(program.code), len(program.constants), len(program.addresses), len(program.resources)]
        bases.append((ends[0], ends[0] + sizes[0], ends[1], ends[2], ends[3]))
        ends += sizes
    return Pool(
        np.concatenate([p.code for p in programs] or [np.zeros((0, INSTRUCTION), np.int32)]),
        np.concatenate([p.constants for p in programs] or [np.zeros(0, np.float32)]),
        np.concatenate([p.addresses for p in programs] or [np.zeros(0, np.int64)]),
        np.concatenate([p.resources for p in programs] or [np.zeros((0, RESOURCE), np.int64)]),
        np.array(bases, np.int32).reshape(-1, 5),
    )
