"""The compiled loops that read mesh files: numbers, lines and polygons from text, lists from binary records."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compiled import kernel

_kernel: Any = kernel()


@_kernel
def number(text, at, stop):  # type: ignore[no-untyped-def]
    """A decimal number that starts at ``at``: its value (NaN when it is none), and the place after it."""
    sign, value, scale, digits = 1.0, 0.0, 0, 0
    if at < stop and (text[at] == 45 or text[at] == 43):
        sign = -1.0 if text[at] == 45 else 1.0
        at += 1
    point = False
    while at < stop:
        letter = text[at]
        if 48 <= letter <= 57:
            if digits < 18:
                value = value * 10 + (letter - 48)
                scale -= 1 if point else 0
            else:
                scale += 0 if point else 1
            digits += 1
        elif letter == 46 and not point:
            point = True
        else:
            break
        at += 1
    if digits == 0:
        while at < stop and text[at] > 32:
            at += 1
        return np.nan, at
    if at < stop and (text[at] == 101 or text[at] == 69):
        at += 1
        minus = at < stop and text[at] == 45
        if at < stop and (text[at] == 45 or text[at] == 43):
            at += 1
        power = 0
        while at < stop and 48 <= text[at] <= 57:
            power = min(power * 10 + (text[at] - 48), 5000)
            at += 1
        scale += -power if minus else power
    if scale < 0:
        value = value / 10.0**-scale if scale >= -300 else value * 10.0**scale
    elif scale > 0:
        value = value * 10.0**scale
    return sign * value, at


@_kernel
def blanks(text, at, stop):  # type: ignore[no-untyped-def]
    """The next place on the line that is no blank; every control letter but the line's end counts as one.

    What is left at the place returned is a line's end or the first letter of a word, so that a word always moves on.
    """
    while at < stop and text[at] <= 32 and text[at] != 10 and text[at] != 13:
        at += 1
    return at


@_kernel
def wavefront(text, start, stop, known, points, faces, marks):  # type: ignore[no-untyped-def]
    """Lines ``v`` and ``f`` of a Wavefront OBJ between two places of the text.

    ``known`` points came before (for indices counted from the end). Faces of more than
    three corners become fans. ``marks`` gets (place in the text, triangles so far) of every
    ``o`` and ``g`` line. Returns how many points, triangles and marks; a wrong corner is index -1.
    """
    at, n, m, k = start, 0, 0, 0
    while at < stop:
        at = blanks(text, at, stop)
        letter = text[at] if at < stop else 10
        after = text[at + 1] if at + 1 < stop else 10
        if letter == 118 and (after == 32 or after == 9):  # v
            at += 2
            for i in range(3):
                at = blanks(text, at, stop)
                if at >= stop or text[at] == 10 or text[at] == 13:
                    points[n, i] = np.nan
                else:
                    points[n, i], at = number(text, at, stop)
            n += 1
        elif letter == 102 and (after == 32 or after == 9):  # f
            at += 2
            corners, first, before = 0, 0, 0
            while True:
                at = blanks(text, at, stop)
                if at >= stop or text[at] == 10 or text[at] == 13 or text[at] == 35:
                    break
                value, at = number(text, at, stop)
                while at < stop and text[at] > 32:
                    at += 1
                corner = -1
                if value >= 1:
                    corner = int(value) - 1
                elif value <= -1 and known + n + int(value) >= 0:
                    corner = known + n + int(value)
                if corners == 0:
                    first = corner
                elif corners >= 2:
                    faces[m, 0], faces[m, 1], faces[m, 2] = first, before, corner
                    m += 1
                before = corner
                corners += 1
        elif (letter == 111 or letter == 103) and (after == 32 or after == 9) and k < marks.shape[0]:  # o, g
            marks[k, 0], marks[k, 1] = at + 2, m
            k += 1
        while at < stop and text[at] != 10:
            at += 1
        at += 1
    return n, m, k


@_kernel
def line_start(text, at, stop):  # type: ignore[no-untyped-def]
    """The first letter of the next line that holds something; ``#`` starts a comment."""
    while at < stop:
        if text[at] <= 32:
            at += 1
        elif text[at] == 35:
            while at < stop and text[at] != 10:
                at += 1
        else:
            break
    return at


@_kernel
def table(text, at, stop, out):  # type: ignore[no-untyped-def]
    """The first numbers of each line into the rows of ``out``; returns rows read and the place after them."""
    n = 0
    while n < out.shape[0]:
        at = line_start(text, at, stop)
        if at >= stop:
            break
        for i in range(out.shape[1]):
            at = blanks(text, at, stop)
            if at >= stop or text[at] == 10 or text[at] == 13:
                out[n, i] = np.nan
            else:
                out[n, i], at = number(text, at, stop)
        while at < stop and text[at] != 10:
            at += 1
        n += 1
    return n, at


@_kernel
def polygons(text, at, stop, skip, counts, corners):  # type: ignore[no-untyped-def]
    """Lines of a count and as many indices, after ``skip`` numbers; what follows on a line is left.

    Returns rows and corners read; a wrong corner is -1.
    """
    n, k = 0, 0
    while n < counts.size:
        at = line_start(text, at, stop)
        if at >= stop:
            break
        wanted, seen = 0, -skip - 1
        while seen < wanted and at < stop and text[at] != 10 and text[at] != 13:
            at = blanks(text, at, stop)
            if at >= stop or text[at] == 10 or text[at] == 13:
                break
            if k == corners.size:
                return n, k
            value, at = number(text, at, stop)
            seen += 1
            if seen == 0:
                wanted = int(value) if value >= 0 else 0
            elif seen > 0:
                corners[k] = int(value) if value >= 0 and value < 2147483647 else -1
                k += 1
        while at < stop and text[at] != 10:
            at += 1
        counts[n] = max(seen, 0)
        if seen < wanted:
            break
        n += 1
    return n, k


@_kernel
def whole(data, at, size, big):  # type: ignore[no-untyped-def]
    """An unsigned whole number of ``size`` bytes."""
    value = 0
    for k in range(size):
        value |= int(data[at + k]) << (8 * (size - 1 - k if big else k))
    return value


@_kernel
def lists(data, at, counted, item, which, big, counts, starts):  # type: ignore[no-untyped-def]
    """Walk records of scalars and lists: where list number ``which`` of each record starts, and its length.

    ``counted[p]`` is the size of a list's count, 0 for a scalar; ``item[p]`` the size of
    a scalar or of a list's item. Returns records read whole, and the place after them.
    """
    for n in range(counts.size):
        for p in range(counted.size):
            length = 1
            if counted[p]:
                if at + counted[p] > data.size:
                    return n, at
                length = whole(data, at, counted[p], big)
                at += counted[p]
            if p == which:
                counts[n], starts[n] = length, at
            at += length * item[p]
            if at > data.size:
                return n, at
    return counts.size, at


@_kernel
def gather(data, starts, counts, size, big, out):  # type: ignore[no-untyped-def]
    """The items of lists found by :func:`lists`, one after the other."""
    k = 0
    for n in range(starts.size):
        for i in range(counts[n]):
            out[k] = whole(data, starts[n] + i * size, size, big)
            k += 1


@_kernel
def corners(text, start, stop, out):  # type: ignore[no-untyped-def]
    """The three numbers after every word ``vertex`` (any case); returns how many points."""
    word = (118, 101, 114, 116, 101, 120)
    at, n = start, 0
    while at + 6 < stop:
        if (text[at] | 32) != 118:
            at += 1
            continue
        same = True
        for k in range(6):
            if (text[at + k] | 32) != word[k]:
                same = False
                break
        if not same:
            at += 1
            continue
        at += 6
        for i in range(3):
            while at < stop and text[at] <= 32:
                at += 1
            out[n, i], at = number(text, at, stop)
        n += 1
    return n


@_kernel
def fans(counts, corners, out):  # type: ignore[no-untyped-def]
    """Polygons, their corners one after the other, as triangles around the first corner of each."""
    at, m = 0, 0
    for p in range(counts.size):
        for k in range(2, counts[p]):
            out[m, 0], out[m, 1], out[m, 2] = corners[at], corners[at + k - 1], corners[at + k]
            m += 1
        at += counts[p]
    return m


def warm() -> None:
    """Compile every kernel (or fetch it from the cache) for the types that are used."""
    screen = np.zeros((3, 3))
    faces = np.zeros((1, 3), np.int32)
    text = np.frombuffer(b"vertex 1 2 3\n", np.uint8)
    wavefront(text, 0, text.size, 0, screen, faces, np.zeros((1, 2), np.int64))
    table(text, 0, text.size, screen)
    one = np.zeros(1, np.int64)
    polygons(text, 0, text.size, 0, one, one.copy())
    lists(text, 0, one, one, 0, False, one.copy(), one.copy())
    gather(text, one, one, 1, False, one.copy())
    corners(text, 0, text.size, screen)
    fans(one, one, faces)
