"""Four and eight numbers at once, where the compiler finds no vectors by itself: neighbours in a table lie together.

Each is an instruction of LLVM's own vectors, which every processor carries out as wide as it can. Offsets count single
numbers. What is read or written is what the caller has checked: nothing here looks at an array's end.
"""

from __future__ import annotations

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

_REAL, _DOUBLE, _INT, _LONG = ir.FloatType(), ir.DoubleType(), ir.IntType(32), ir.IntType(64)


def _vector(kind, count):
    return ir.VectorType(kind, count)


def _data(context, builder, kind, array):
    return context.make_array(kind)(context, builder, array).data


def _load(builder, data, at, count, kind=_REAL):
    place = builder.bitcast(builder.gep(data, [at]), _vector(kind, count).as_pointer())
    loaded = builder.load(place)
    loaded.align = 1
    return loaded


def _store(builder, values, data, at):
    stored = builder.store(values, builder.bitcast(builder.gep(data, [at]), values.type.as_pointer()))
    stored.align = 1


def _pick(builder, one, other, places):
    return builder.shuffle_vector(one, other, ir.Constant(_vector(_INT, len(places)), places))


def _all(builder, value, count):
    none = ir.Constant(_vector(value.type, count), ir.Undefined)
    return _pick(builder, builder.insert_element(none, value, _INT(0)), none, [0] * count)


def _sum(builder, one, other):
    return builder.fadd(one, other, flags=["fast"])


def _times(builder, one, other):
    return builder.fmul(one, other, flags=["fast"])


def _between(builder, low, high, share):
    return _sum(builder, low, _times(builder, share, builder.fsub(high, low, flags=["fast"])))


@intrinsic
def on_line(typingctx, pairs, low, part, at):
    """part[at:at+8] become the values of a sampled curve: pairs (2 n) of sample and step, low the sample before."""

    def made(context, builder, signature, arguments):
        table, places, row = (
            _data(context, builder, k, a) for k, a in zip(signature.args[:3], arguments[:3], strict=True)
        )
        at = arguments[3]
        where = _load(builder, places, at, 8, _INT)
        doubles = builder.bitcast(table, _DOUBLE.as_pointer())  # a pair is read at once

        def four(first):
            pairs = ir.Constant(_vector(_DOUBLE, 4), ir.Undefined)
            for k in range(4):
                place = builder.zext(builder.extract_element(where, _INT(first + k)), _LONG)
                pair = builder.load(builder.gep(doubles, [place]))
                pair.align = 4
                pairs = builder.insert_element(pairs, pair, _INT(k))
            return builder.bitcast(pairs, _vector(_REAL, 8))

        one, other = four(0), four(4)
        samples = _pick(builder, one, other, list(range(0, 16, 2)))
        steps = _pick(builder, one, other, list(range(1, 16, 2)))
        _store(builder, _sum(builder, samples, _times(builder, _load(builder, row, at, 8), steps)), row, at)
        return context.get_dummy_value()

    return types.void(pairs, low, part, at), made


def _trilinear(builder, grid, place, along_x, along_y, x, y, z):
    """Four values between eight nodes of four; two that are neighbours along z are read at once."""
    across = builder.add(place, along_x)
    wide_y, wide_x = _all(builder, y, 8), _all(builder, x, 8)
    near = _between(
        builder, _load(builder, grid, place, 8), _load(builder, grid, builder.add(place, along_y), 8), wide_y
    )
    far = _between(
        builder, _load(builder, grid, across, 8), _load(builder, grid, builder.add(across, along_y), 8), wide_y
    )
    both = _between(builder, near, far, wide_x)
    return _between(
        builder, _pick(builder, both, both, [0, 1, 2, 3]), _pick(builder, both, both, [4, 5, 6, 7]), _all(builder, z, 4)
    )


@intrinsic
def trilinear(typingctx, grid, place, along_x, along_y, x, y, z, out, at):
    """out[at:at+4] = the values at parts x, y, z of the cell that begins at `place` of a grid of nodes of four."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        row = _data(context, builder, signature.args[7], arguments[7])
        _store(builder, _trilinear(builder, table, *arguments[1:7]), row, arguments[8])
        return context.get_dummy_value()

    return types.void(grid, place, along_x, along_y, x, y, z, out, at), made


@intrinsic
def trilinear_codes(typingctx, grid, place, along_x, along_y, x, y, z, top, out, at):
    """The same, cut off at 0 and 1 and rounded to codes from 0 to `top`: out[at:at+4]."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        codes = _data(context, builder, signature.args[8], arguments[8])
        top, at = arguments[7], arguments[9]
        values = _times(builder, _trilinear(builder, table, *arguments[1:7]), _all(builder, top, 4))
        values = _sum(builder, values, _all(builder, _REAL(0.5), 4))
        low, high = _all(builder, _REAL(0.5), 4), _all(builder, _sum(builder, top, _REAL(0.5)), 4)
        values = builder.select(builder.fcmp_ordered("<", values, low, flags=["fast"]), low, values)
        values = builder.select(builder.fcmp_ordered(">", values, high, flags=["fast"]), high, values)
        whole = builder.fptosi(values, _vector(_INT, 4))
        kind = codes.type.pointee
        narrow = builder.trunc if isinstance(kind, ir.IntType) else builder.sitofp  # floats are compiled, never reached
        _store(builder, narrow(whole, _vector(kind, 4)), codes, at)
        return context.get_dummy_value()

    return types.void(grid, place, along_x, along_y, x, y, z, top, out, at), made


@intrinsic
def curved_codes(typingctx, grid, place, along_x, along_y, x, y, z, curves, begins, last, out, at):
    """Four values of a cell, each led through a sampled curve of its own to codes: out[at:at+4].

    curves are pairs of sample and step to the next, in codes, with the half that rounds; begins (4,) int32 tells which
    pair each begins at, and `last` is the place of a curve's last sample, as a number.
    """

    def made(context, builder, signature, arguments):
        table, pairs, starts, codes = (_data(context, builder, signature.args[k], arguments[k]) for k in (0, 7, 8, 10))
        last, at = arguments[9], arguments[11]
        end, zero = _all(builder, last, 4), _all(builder, _REAL(0), 4)
        place = _times(builder, _trilinear(builder, table, *arguments[1:7]), end)
        place = builder.select(builder.fcmp_ordered("<", place, zero, flags=["fast"]), zero, place)
        place = builder.select(builder.fcmp_ordered(">", place, end, flags=["fast"]), end, place)
        whole = builder.fptosi(place, _vector(_INT, 4))
        # What is no number never reaches past a curve.
        least, most = _all(builder, _INT(0), 4), _all(builder, builder.fptosi(last, _INT), 4)
        whole = builder.select(builder.icmp_signed("<", whole, least), least, whole)
        whole = builder.select(builder.icmp_signed(">", whole, most), most, whole)
        part = builder.fsub(place, builder.sitofp(whole, _vector(_REAL, 4)), flags=["fast"])
        where = builder.add(whole, _load(builder, starts, ir.Constant(_LONG, 0), 4, _INT))
        doubles, both = builder.bitcast(pairs, _DOUBLE.as_pointer()), ir.Constant(_vector(_DOUBLE, 4), ir.Undefined)
        halves = builder.bitcast(where, _vector(_LONG, 2))  # two places leave the vector at once
        for k in range(4):  # a pair is read at once
            half = builder.extract_element(halves, _INT(k // 2))
            low = builder.and_(half, _LONG(0xFFFFFFFF)) if k % 2 == 0 else builder.lshr(half, _LONG(32))
            pair = builder.load(builder.gep(doubles, [low]))
            pair.align = 4
            both = builder.insert_element(both, pair, _INT(k))
        both = builder.bitcast(both, _vector(_REAL, 8))
        samples, steps = (_pick(builder, both, both, list(range(first, 8, 2))) for first in (0, 1))
        code = builder.fptosi(_sum(builder, samples, _times(builder, part, steps)), _vector(_INT, 4))
        kind = codes.type.pointee
        narrow = builder.trunc if isinstance(kind, ir.IntType) else builder.sitofp  # floats are compiled, never reached
        _store(builder, narrow(code, _vector(kind, 4)), codes, at)
        return context.get_dummy_value()

    return types.void(grid, place, along_x, along_y, x, y, z, curves, begins, last, out, at), made


def _tetrahedral(builder, grid, places, weights):
    """Four values: nodes at four places, weighted."""
    total = None
    for place, weight in zip(places, weights, strict=True):
        part = _times(builder, _load(builder, grid, place, 4), _all(builder, weight, 4))
        total = part if total is None else _sum(builder, total, part)
    return total


@intrinsic
def tetrahedral(typingctx, grid, p0, p1, p2, p3, w0, w1, w2, w3, out, at):
    """out[at:at+4] = the nodes of four at p0 … p3 of the grid, weighted by w0 … w3."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        row = _data(context, builder, signature.args[9], arguments[9])
        _store(builder, _tetrahedral(builder, table, arguments[1:5], arguments[5:9]), row, arguments[10])
        return context.get_dummy_value()

    return types.void(grid, p0, p1, p2, p3, w0, w1, w2, w3, out, at), made


@intrinsic
def tetrahedral_three(typingctx, grid, p0, p1, p2, p3, w0, w1, w2, w3, out, at):
    """The same of nodes of three: out[at + 3] is anything. The last node is read from one number before it on."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        row = _data(context, builder, signature.args[9], arguments[9])
        near = _tetrahedral(builder, table, arguments[1:4], arguments[5:8])
        far = _load(builder, table, builder.sub(arguments[4], arguments[4].type(1)), 4)
        far = _times(builder, _pick(builder, far, far, [1, 2, 3, 3]), _all(builder, arguments[8], 4))
        _store(builder, _sum(builder, near, far), row, arguments[10])
        return context.get_dummy_value()

    return types.void(grid, p0, p1, p2, p3, w0, w1, w2, w3, out, at), made


@intrinsic
def tetrahedral_pair(typingctx, grid, p0, p1, p2, p3, w0, w1, w2, w3, along, share, out, at):
    """The same between two cells of a grid of four dimensions, the other `along` further: `share` 0 to 1."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        row = _data(context, builder, signature.args[11], arguments[11])
        along, share = arguments[9], arguments[10]
        near = _tetrahedral(builder, table, arguments[1:5], arguments[5:9])
        far = _tetrahedral(builder, table, [builder.add(p, along) for p in arguments[1:5]], arguments[5:9])
        _store(builder, _between(builder, near, far, _all(builder, share, 4)), row, arguments[12])
        return context.get_dummy_value()

    return types.void(grid, p0, p1, p2, p3, w0, w1, w2, w3, along, share, out, at), made


@intrinsic
def quadrilinear(typingctx, grid, place, along_w, along_x, along_y, w, x, y, z, out, at):
    """out[at:at+4] = the values in a cell of a grid of four dimensions of nodes of four, linear in each."""

    def made(context, builder, signature, arguments):
        table = _data(context, builder, signature.args[0], arguments[0])
        row = _data(context, builder, signature.args[9], arguments[9])
        place, along_w, along_x, along_y, w, x, y, z = arguments[1:9]
        near = _trilinear(builder, table, place, along_x, along_y, x, y, z)
        far = _trilinear(builder, table, builder.add(place, along_w), along_x, along_y, x, y, z)
        _store(builder, _between(builder, near, far, _all(builder, w, 4)), row, arguments[10])
        return context.get_dummy_value()

    return types.void(grid, place, along_w, along_x, along_y, w, x, y, z, out, at), made
