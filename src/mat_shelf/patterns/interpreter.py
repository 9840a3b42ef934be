"""The interpreter of programs: runs the instructions of `program` over one packet of points.

Registers are rows of `PACKET` float32. Instructions name them by number, which the compiler of programs has counted, so
none can lie outside; with MAT_SHELF_CHECK=1 `linking` checks every one of them before it is run.
The file is long because the instructions share one loop, which has to be one function.
"""

import math
from collections import namedtuple

import numpy as np

from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.memory import call, detached
from mat_shelf.numerics.vectors import frame, normalize, row3, store3
from mat_shelf.optics.color import luminance_of
from mat_shelf.optics.media import WHITEST, albedo_of_color
from mat_shelf.patterns.operation import PACKET, PAD, PLACES, RESOURCE
from mat_shelf.patterns.placing import lay_packet

LAY, NEXT_PASS, HEAVIEST, RUN, GREY, COPY, TAP, TAPPED, FEED, FILL, MULTIPLY, ROOT, ALBEDO, STORE = range(14)
FRAME, SHIFT, SLOPE, NORMAL_SLOPE, DETAIL, TILT, LIMIT = range(14, 21)
"""Instructions; see `program.Builder`, which writes them."""
INSTRUCTION = 9
"""Numbers in an instruction: what it does, and up to eight operands."""
MOST_LOOPS = 4
"""Loops that lie in each other; `document.pattern.MOST_ASKED` allows no more."""
ROW = 4 * PACKET
"""Bytes of a register."""
STEEPEST = F(8)
"""Most that relief rises, mm per mm."""
_SIDES = 3

Pool = namedtuple("Pool", "code constants addresses resources bases")
"""Programs that kernels run.

code : (I, INSTRUCTION) int32; constants : (C,) float32; addresses : (A,) int64, of operations
resources : (K, RESOURCE) int64
bases : (P, 5) int32, for each program its first instruction and the one after its last; what its constants, addresses
and resources are counted from
"""

Packet = namedtuple(
    "Packet",
    "position normal uv slope part cosine triangle u v moved moved_uv places index weight taps registers record",
)
"""Points that a program runs over, and its memory.

position (mm), normal : (PACKET, 3) float32; uv : (PACKET, 2) float32; slope : (PACKET, 6) float32, as in `Points`
part, triangle : (PACKET,) int32; cosine, u, v : (PACKET,) float32
moved, moved_uv : as position and uv, of the points beside that slopes are taken with
places : (3, 3 * PACKET) float32, index : (3 * PACKET,) int32, weight : (3 * PACKET,) float32, as in `Layout`
taps : (MOST_LOOPS,) int32, turns of the loops under way
registers : (R, PACKET) float32
record : (15,) int64, addresses as operations get them
"""


def new_packet(registers: int) -> Packet:
    """Memory for a packet.

    Parameters
    ----------
    registers : int
        Rows of registers.

    Returns
    -------
    Packet
    """
    many = _SIDES * PACKET
    return Packet(
        np.zeros((PACKET, 3), F),
        np.zeros((PACKET, 3), F),
        np.zeros((PACKET, 2), F),
        np.zeros((PACKET, 6), F),
        np.zeros(PACKET, np.int32),
        np.zeros(PACKET, F),
        np.zeros(PACKET, np.int32),
        np.zeros(PACKET, F),
        np.zeros(PACKET, F),
        np.zeros((PACKET, 3), F),
        np.zeros((PACKET, 2), F),
        np.zeros((3, many), F),
        np.zeros(many, np.int32),
        np.zeros(many, F),
        np.zeros(MOST_LOOPS, np.int32),
        np.zeros((registers, PACKET), F),
        np.zeros(len(PLACES), np.int64),
    )


_POSITION, _RESOURCES = PLACES["position"], PLACES["resources"]


@apart
def bind_packet(packet, frames, pool):
    """Writes the addresses that operations get.

    Parameters
    ----------
    packet : Packet
        Memory of the packet.
    frames : Frames
        Frames of the parts.
    pool : Pool
        The programs.
    """
    record = packet.record
    record[0] = packet.position.ctypes.data
    record[1] = packet.normal.ctypes.data
    record[2] = packet.part.ctypes.data
    record[3] = packet.cosine.ctypes.data
    record[4] = packet.triangle.ctypes.data
    record[5] = packet.u.ctypes.data
    record[6] = packet.v.ctypes.data
    record[7] = frames.turn.ctypes.data
    record[8] = frames.shift.ctypes.data
    record[9] = frames.centre.ctypes.data
    record[10] = frames.low.ctypes.data
    record[11] = frames.high.ctypes.data
    record[12] = frames.salt.ctypes.data
    record[13] = pool.resources.ctypes.data
    record[14] = frames.salt.shape[0] - 1


@inline
def padded(count):
    """Number of points of a packet with those that fill it up to a multiple of `PAD`.

    Parameters
    ----------
    count : int
        Number of points.

    Returns
    -------
    int
    """
    return (count + PAD - 1) // PAD * PAD


@apart
def _load_pass(packet, first, count, row):
    """Brings a pass of the layout, (3, count) from a column on, into registers; the last one fills up."""
    registers, places = packet.registers, packet.places
    for axis in range(3):
        for i in range(count):
            registers[row + axis, i] = places[axis, first + i]
        for i in range(count, padded(count)):
            registers[row + axis, i] = places[axis, first + count - 1]


@apart
def _shift_points(packet, n, row, distance):
    """Points a little way along tangents in three rows of registers."""
    registers, slope = packet.registers, packet.slope
    for i in range(n):
        x, y, z = registers[row, i], registers[row + 1, i], registers[row + 2, i]
        packet.moved[i, 0] = packet.position[i, 0] + distance * x
        packet.moved[i, 1] = packet.position[i, 1] + distance * y
        packet.moved[i, 2] = packet.position[i, 2] + distance * z
        for k in range(2):
            rise = slope[i, 3 * k] * x + slope[i, 3 * k + 1] * y + slope[i, 3 * k + 2] * z
            packet.moved_uv[i, k] = packet.uv[i, k] + distance * rise


@apart
def _tangents(packet, n, row):
    """Two tangents of the normals, in six rows of registers."""
    registers = packet.registers
    for i in range(n):
        one, other = frame(row3(packet.normal, i))
        for axis in range(3):
            registers[row + axis, i] = one[axis]
            registers[row + 3 + axis, i] = other[axis]


@apart
def _heaviest(packet, n, laid, row):
    """Place of each point in a layout, two rows: of several the one that counts most."""
    registers, places = packet.registers, packet.places
    for i in range(n):
        registers[row, i], registers[row + 1, i], registers[row + 2, i] = places[0, i], places[1, i], packet.weight[i]
    for j in range(PACKET, PACKET + laid):
        i = packet.index[j]
        if packet.weight[j] > registers[row + 2, i]:
            registers[row, i], registers[row + 1, i] = places[0, j], places[1, j]
            registers[row + 2, i] = packet.weight[j]


@apart
def _normal_slope(registers, n, color, here, along, beside, steepness, green, slope):
    """Slopes along two tangents, two rows, of a normal map whose own directions lie as its layout does.

    Parameters
    ----------
    color : int
        First of the three rows of its colours.
    here, along, beside : int
        First of two rows each: the places of the points and of those a little way along both tangents.
    """
    for i in range(n):
        x, y, z = F(2) * registers[color, i] - F(1), F(2) * registers[color + 1, i] - F(1), registers[color + 2, i]
        z = max(F(2) * z - F(1), F(0.05))
        rise_x, rise_y = -x / z * steepness, green * y / z * steepness
        for k in range(2):
            there = along if k == 0 else beside
            a, b = registers[there, i] - registers[here, i], registers[there + 1, i] - registers[here + 1, i]
            share = F(1) / max(math.sqrt(a * a + b * b), F(1e-9))
            registers[slope + k, i] = rise_x * a * share + rise_y * b * share


@apart
def _add_detail(registers, n, slope, detail):
    """Turns the normal of a slope onto that of another one; see `scene.recipe_program.write_relief`."""
    for i in range(n):
        bx, by, bz = -registers[slope, i], -registers[slope + 1, i], F(1)
        share = F(1) / math.sqrt(bx * bx + by * by + bz)
        bx, by, bz = bx * share, by * share, bz * share + F(1)
        dx, dy, dz = registers[detail, i], registers[detail + 1, i], F(1)
        share = F(1) / math.sqrt(dx * dx + dy * dy + F(1))
        dx, dy, dz = dx * share, dy * share, dz * share
        scale = (bx * dx + by * dy + bz * dz) / bz
        x, y, z = bx * scale - dx, by * scale - dy, max(bz * scale - dz, F(1e-3))
        registers[slope, i], registers[slope + 1, i] = -x / z, -y / z


@apart
def _tilt(packet, n, slope, tangent, out, index):
    """Writes normals tilted by slopes along tangents, unit length."""
    registers = packet.registers
    for i in range(n):
        s, t = registers[slope, i], registers[slope + 1, i]
        x = packet.normal[i, 0] - registers[tangent, i] * s - registers[tangent + 3, i] * t
        y = packet.normal[i, 1] - registers[tangent + 1, i] * s - registers[tangent + 4, i] * t
        z = packet.normal[i, 2] - registers[tangent + 2, i] * s - registers[tangent + 5, i] * t
        store3(out, index[i], normalize((x, y, z)))


@detached
def run_program(pool, which, packet, frames, count, index, out, normals):
    """Runs a program over a packet.

    Parameters
    ----------
    pool : Pool
        The programs.
    which : int
        Number of the program.
    packet : Packet
        The points, filled up to a multiple of `PAD`, with `bind_packet` done; its registers are written.
    frames : Frames
        Frames of the parts.
    count : int
        Number of points, at most `PACKET`.
    index : (count,) int32
        Rows of the points in what is written.
    out : (N, K) float32
        Receives values that are stored, by column.
    normals : (N, 3) float32
        Receives bent normals.
    """
    registers, record, constants = packet.registers, packet.record, pool.constants
    base, first_address, first_resource = pool.bases[which, 2], pool.bases[which, 3], pool.bases[which, 4]
    record[_POSITION] = packet.position.ctypes.data
    record[_RESOURCES] = pool.resources.ctypes.data + 8 * RESOURCE * np.int64(first_resource)
    registers_at, constants_at = registers.ctypes.data, constants.ctypes.data + 4 * np.int64(base)
    n = whole = padded(count)
    first, laid, is_moved = 0, 0, False
    start, stop = pool.bases[which, 0], pool.bases[which, 1]
    at = start
    while at < stop:
        line = pool.code[at]
        what, a, b, c, d, e = line[0], line[1], line[2], line[3], line[4], line[5]
        at += 1
        if what == RUN:  # operation, constants, coordinates, before, out; channels, rows of `before` a channel
            for k in range(line[6]):
                call(
                    pool.addresses[first_address + a],
                    constants_at + 4 * b,
                    n,
                    registers_at + ROW * c,
                    registers_at + ROW * (d + k * line[7]),
                    registers_at + ROW * (e + k),
                    record.ctypes.data,
                )
        elif what == LAY:  # constants, way, axis, whether it runs over the product, coordinates
            position = packet.moved if is_moved else packet.position
            uv = packet.moved_uv if is_moved else packet.uv
            laid = lay_packet(position, packet, uv, frames, count, whole, constants[base + a :], b, c, d)
            n, first = whole, 0
            _load_pass(packet, 0, whole, e)
        elif what == NEXT_PASS:  # value, channels, total, coordinates, where the pass begins
            for k in range(b):
                if first == 0:
                    for i in range(n):
                        registers[c + k, i] = packet.weight[i] * registers[a + k, i]
                else:
                    for i in range(min(laid - (first - PACKET), PACKET)):
                        registers[c + k, packet.index[first + i]] += packet.weight[first + i] * registers[a + k, i]
            first += PACKET
            left = laid - (first - PACKET)
            if left > 0:
                _load_pass(packet, first, min(left, PACKET), d)
                n = padded(min(left, PACKET))
                at = start + e
            else:
                n, first = whole, 0
        elif what == COPY:  # from, to, whether it is from points to their places in the layout
            if c == 0 or first == 0:
                for i in range(n):
                    registers[b, i] = registers[a, i]
            else:  # in a further pass, of those points that lie there again
                some = min(laid - (first - PACKET), PACKET)
                for i in range(n):
                    registers[b, i] = registers[a, packet.index[first + min(i, some - 1)]]
        elif what == GREY:  # from, to
            for i in range(n):
                red, green, blue = registers[a, i], registers[a + 1, i], registers[a + 2, i]
                registers[b, i] = luminance_of(red, green, blue)
        elif what == TAP:  # coordinates, moved coordinates, constants of the taps, loop, sums and number of them
            tap = packet.taps[line[4]]
            if tap == 0:
                for k in range(line[6]):
                    for i in range(n):
                        registers[e + k, i] = F(0)
            across, up = constants[base + c + line[7] * tap], constants[base + c + line[7] * tap + 1]
            for i in range(n):
                registers[b, i] = registers[a, i] + across
                registers[b + 1, i] = registers[a + 1, i] + up
                registers[b + 2, i] = registers[a + 2, i]
        elif what == TAPPED:  # value, channels, constants of the taps, loop, sums, sums a channel; row length, taps
            tap = packet.taps[d]
            for k in range(b):
                for s in range(line[6]):
                    weight = constants[base + c + line[7] * tap + 2 + s]
                    for i in range(n):
                        registers[e + k * line[6] + s, i] += weight * registers[a + k, i]
            packet.taps[d] = tap + 1
            if tap + 1 < (line[8] & 255):
                at = start + (line[8] >> 8)
            else:
                packet.taps[d] = 0
        elif what == FEED:  # from, to, constants: low, span, own value, amount, limits, in place of what is no number
            low, span, own = constants[base + c], constants[base + c + 1], constants[base + c + 2]
            amount, lowest, highest = constants[base + c + 3], constants[base + c + 4], constants[base + c + 5]
            other = constants[base + c + 6]
            for i in range(n):
                x = low + span * registers[a, i]
                x = own + (x - own) * amount
                registers[b, i] = min(max(x, lowest), highest) if x == x else other
        elif what == FILL:  # row, constant
            for i in range(n):
                registers[a, i] = constants[base + b]
        elif what == MULTIPLY:  # one, other, to
            for i in range(n):
                registers[c, i] = registers[a, i] * registers[b, i]
        elif what == ROOT:  # from, to
            for i in range(n):
                registers[b, i] = math.sqrt(registers[a, i])
        elif what == ALBEDO:  # from, to, constant
            for i in range(n):
                x = albedo_of_color(min(max(registers[a, i], F(0)), WHITEST), constants[base + c])
                registers[b, i] = min(max(x, F(0)), F(1))
        elif what == STORE:  # row, column
            for i in range(count):
                out[index[i], b] = registers[a, i]
        elif what == LIMIT:  # row
            for i in range(n):
                x = registers[a, i]
                registers[a, i] = min(max(x, F(0)), F(1)) if x == x else F(0)
        elif what == FRAME:  # tangents
            _tangents(packet, n, a)
        elif what == SHIFT:  # tangent, or -1 for back; constant
            is_moved = a >= 0
            if is_moved:
                _shift_points(packet, n, a, constants[base + b])
            record[_POSITION] = packet.moved.ctypes.data if is_moved else packet.position.ctypes.data
        elif what == SLOPE:  # here, beside, constant, slope
            steepness = constants[base + c]
            for i in range(n):
                x = (registers[b, i] - registers[a, i]) * steepness
                registers[d, i] += min(max(x, -STEEPEST), STEEPEST) if x == x else F(0)
        elif what == HEAVIEST:  # places
            _heaviest(packet, n, laid, a)
        elif what == NORMAL_SLOPE:  # color, here, along, beside, constants, slope
            _normal_slope(registers, n, a, b, c, d, constants[base + e], constants[base + e + 1], line[6])
        elif what == DETAIL:  # slope, slope of the detail
            _add_detail(registers, n, a, b)
        elif what == TILT:  # slope, tangents
            _tilt(packet, count, a, b, normals, index)
