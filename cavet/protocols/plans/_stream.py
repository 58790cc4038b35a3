"""Finding frames on a stream: delimiters, escapes, lengths, constants."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from cavet.protocols._frame import Frame, Unreadable
from cavet.protocols._message import Message, as_found, unchecked
from cavet.protocols._reader import ShortError
from cavet.protocols.plans._layout import Layout
from cavet.protocols.plans._plan import MAX_FRAME_BYTES, FramePlan
from cavet.protocols.plans._short import short_reader
from cavet.protocols.plans._text import TextLayout
from cavet.wording import hex_pairs

SPARE_BYTES = 1024
"""By how much a frame may be longer than it should, so that it is still taken apart."""
MAX_STRAY_BYTES = 64
"""How many bytes outside any frame are told as one piece."""


class Extent(NamedTuple):
    """Where a frame ends, and its body without delimiters and escapes; with a reason, it makes no frame."""

    end: int
    body: bytes = b""
    reason: str = ""


class PlanDecoder:
    """Reads a stream, cut anywhere. Every byte comes out in exactly one frame."""

    def __init__(self, plan: FramePlan, layout: Layout | TextLayout, form: type[Message]) -> None:
        self._plan = plan
        self._layout = layout
        self._form = form
        self._data = b""
        self._offset = 0
        self._searched = 0
        """How many of the bytes kept are known to begin no frame."""
        delimited = plan.start or plan.end or plan.escape or isinstance(layout, TextLayout)
        self._short = None if delimited or not isinstance(layout, Layout) else short_reader(layout, unchecked(form))
        """Reads good frames of a fixed size the short way."""
        self._longest = MAX_FRAME_BYTES if isinstance(layout, TextLayout) else layout.longest + SPARE_BYTES

    def feed(self, data: bytes) -> Sequence[Frame]:
        """Take more bytes; give the frames that are complete now."""
        self._data += data
        return self._frames(last=False)

    def finish(self) -> Sequence[Frame]:
        """The stream has ended: give what is left."""
        return self._frames(last=True)

    def _frames(self, *, last: bool) -> list[Frame]:
        frames: list[Frame] = []
        stray, at = 0, self._searched
        while at < len(self._data):
            if self._short is not None and (good := self._good_frames(at)):
                frames += self._strays(stray, at)
                frames += good
                at = stray = at + len(good) * len(good[0].data)
                continue
            start = self._begin(at, last=last)
            if start > at:
                at = start
                continue
            extent = self._extent(at, last=last)
            if extent is None:
                break
            if extent.end == at:  # nothing begins here
                at += 1
                continue
            frames += self._strays(stray, at)
            frames.append(self._frame(at, extent))
            at = stray = extent.end
        told = at if last else at - (at - stray) % MAX_STRAY_BYTES
        frames += self._strays(stray, told)
        self._data = self._data[told:]
        self._offset += told
        self._searched = at - told
        return frames

    def _good_frames(self, at: int) -> list[Frame]:
        """The frames from a place on in which nothing is wrong, one behind the other."""
        assert self._short is not None and isinstance(self._layout, Layout)
        read, data, offset, size = self._short, self._data, self._offset, self._layout.least
        frames = []
        for begin in range(at, len(data) - size + 1, size):
            message = read(data, begin)
            if message is None:
                break
            frames.append(Frame(message, data[begin : begin + size], offset + begin))
        return frames

    def _strays(self, first: int, last: int) -> list[Frame]:
        """What lies outside any frame, in pieces: the same ones, however the stream is cut."""
        reason = "outside start and end" if self._plan.start else "does not fit the frame's constants"
        ends = (*range(first + MAX_STRAY_BYTES, last, MAX_STRAY_BYTES), last) if first < last else ()
        return [
            self._unreadable(begin, end, reason)
            for begin, end in zip(range(first, last, MAX_STRAY_BYTES), ends, strict=True)
        ]

    def _begin(self, at: int, *, last: bool) -> int:
        """Where the next frame may begin, from `at` on."""
        start = self._plan.start
        if not start:
            return at
        found = self._data.find(start, at)
        if found >= 0:
            return found
        if last:
            return len(self._data)
        kept = next((size for size in range(len(start) - 1, 0, -1) if self._data.endswith(start[:size])), 0)
        return max(at, len(self._data) - kept)

    def _extent(self, at: int, *, last: bool) -> Extent | None:
        """The frame that begins at `at`; `None` while its end has not come."""
        plan = self._plan
        if plan.start and len(self._data) - at < len(plan.start):
            return Extent(len(self._data), reason="ends inside the start of a frame") if last else None
        if plan.escape is not None:
            return self._escaped(at, last=last)
        if plan.end:
            return self._delimited(at, last=last)
        if isinstance(self._layout, TextLayout) or self._layout.takes_rest:
            return self._open_ended(at, last=last)
        return self._counted(at, last=last)

    def _open_ended(self, at: int, *, last: bool) -> Extent | None:
        """A frame that only the end of the input ends."""
        begin = at + len(self._plan.start)
        if len(self._data) - at > MAX_FRAME_BYTES:
            return Extent(at + MAX_FRAME_BYTES, reason=f"no end within {MAX_FRAME_BYTES} bytes")
        return Extent(len(self._data), self._data[begin:]) if last else None

    def _counted(self, at: int, *, last: bool) -> Extent | None:
        """A frame that its own fields tell the length of."""
        assert isinstance(self._layout, Layout)
        begin = at + len(self._plan.start)
        fits = self._layout.fits(self._data, begin)
        if fits is False and not self._plan.start:
            return Extent(at, reason="the constants do not fit")
        size = self._layout.length(self._data, begin)
        if size is not None and size > MAX_FRAME_BYTES:
            return self._given_up(at, begin, f"a length beyond {MAX_FRAME_BYTES} bytes")
        if size is None or begin + size > len(self._data):
            return self._given_up(at, begin, "ends before all of its bytes") if last else None
        return Extent(begin + size, self._data[begin : begin + size])

    def _given_up(self, at: int, begin: int, reason: str) -> Extent:
        """What begins here makes no frame. Without a start, the next byte may begin one."""
        if not self._plan.start:
            return Extent(at, reason=reason)
        again = self._data.find(self._plan.start, begin)
        return Extent(again if again >= 0 else len(self._data), reason=reason)

    def _delimited(self, at: int, *, last: bool) -> Extent | None:
        """A frame with an end, and nothing that hides one inside."""
        plan, data = self._plan, self._data
        begin = at + len(plan.start)
        if isinstance(self._layout, Layout) and not self._layout.takes_rest:
            size = self._layout.length(data, begin)
            if size is not None and size <= MAX_FRAME_BYTES:
                stop = begin + size
                if data[stop : stop + len(plan.end)] == plan.end:
                    return Extent(stop + len(plan.end), data[begin:stop])
                if stop + len(plan.end) > len(data) and not last:
                    return None
        most = len(plan.start) + self._longest + len(plan.end)
        end = data.find(plan.end, begin, at + most)
        again = data.find(plan.start, begin, end if end >= 0 else at + most) if plan.start else -1
        if again >= 0:
            return Extent(again, reason="another frame begins before its end")
        if end >= 0:
            return Extent(end + len(plan.end), data[begin:end])
        if len(data) - at >= most:
            return Extent(at + most, reason=f"no end within {most} bytes")
        return Extent(len(data), reason="ends before its end mark") if last else None

    def _escaped(self, at: int, *, last: bool) -> Extent | None:
        """A frame in which delimiters are hidden."""
        plan, data = self._plan, self._data
        assert plan.escape is not None
        body = bytearray()
        size = None
        place = at + len(plan.start)
        while place < len(data):
            if plan.end and data.startswith(plan.end, place):
                return Extent(place + len(plan.end), bytes(body))
            if plan.start and data.startswith(plan.start, place):
                return Extent(place, reason="another frame begins before its end")
            if data[place] == plan.escape.byte:
                if place + 1 == len(data):
                    break
                body.append(data[place + 1] ^ plan.escape.xor)
                place += 2
            else:
                body.append(data[place])
                place += 1
            if not plan.end:
                size = size or self._length(body)
                if size is not None and len(body) >= size:
                    return Extent(place, bytes(body))
            if len(body) > self._longest:
                return Extent(place, reason=f"no end within {self._longest} bytes")
        if last:
            return Extent(len(data), reason="ends before its end mark" if plan.end else "ends before all of its bytes")
        return None

    def _length(self, body: bytearray) -> int | None:
        assert isinstance(self._layout, Layout)
        return self._layout.length(bytes(body), 0)

    def _unreadable(self, first: int, last: int, reason: str) -> Frame:
        data = self._data[first:last]
        return Frame(message=Unreadable(reason=reason), data=data, offset=self._offset + first, problems=(reason,))

    def _frame(self, at: int, extent: Extent) -> Frame:
        if extent.reason:
            return self._unreadable(at, extent.end, extent.reason)
        if isinstance(self._layout, TextLayout):
            match = self._layout.match(extent.body)
            if match is None:
                return self._unreadable(at, extent.end, f'does not fit "{self._plan.text}"')
            values, problems, _ = match
        else:
            try:
                values, problems = self._layout.unpack(extent.body)
            except ShortError as short:
                found = hex_pairs(extent.body[:16])
                return self._unreadable(at, extent.end, f"found {found or 'nothing'}, ends before {short.name}")
        message = as_found(self._form, values)
        data = self._data[at : extent.end]
        return Frame(message=message, data=data, offset=self._offset + at, problems=tuple(problems))
