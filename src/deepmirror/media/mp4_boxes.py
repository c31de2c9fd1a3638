"""The boxes an MP4 file is made of (ISO/IEC 14496-12, 4.2), as far as a film that was cut off while it was written asks for them."""

from __future__ import annotations

import io
import struct
from pathlib import Path

HEADER, LONG_HEADER = 8, 16


def whole_boxes_end(path: Path) -> int:
    """Where the last top-level box ends that is whole, bytes; 0 for a file that is no MP4. Raises OSError."""
    size = path.stat().st_size
    end = 0
    with path.open("rb") as file:
        while end + HEADER <= size:
            file.seek(end)
            length, kind = struct.unpack(">I4s", file.read(HEADER))
            if end == 0 and kind != b"ftyp":
                return 0
            if length == 1 and end + LONG_HEADER <= size:  # a size of 64 bits follows
                length = struct.unpack(">Q", file.read(8))[0]
            if length < HEADER or end + length > size:  # 0: to the file's end, which a box cut off is not known to reach
                return end
            end += length
    return end


class HeadOfFile(io.RawIOBase):
    """The first bytes of a file, as if it ended there."""

    def __init__(self, path: Path, end: int) -> None:
        super().__init__()
        self._file, self._end = path.open("rb"), end

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._file.tell(), io.SEEK_END: self._end}[whence]
        return self._file.seek(max(base + offset, 0))

    def tell(self) -> int:
        return self._file.tell()

    def read(self, size: int = -1) -> bytes:
        left = max(self._end - self._file.tell(), 0)
        return self._file.read(left if size < 0 else min(size, left))

    def close(self) -> None:
        self._file.close()
        super().close()
