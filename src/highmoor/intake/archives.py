"""Archives of description files, unpacked in memory with bounds kept while unpacking, not after.

Names inside an archive are labels only: nothing is ever written, and no name is used as a path.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator

from highmoor.core.catalogue.reading.description import Unreadable
from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST

MEMBERS_AT_MOST = 400
_RATIO_AT_MOST = 200
_TOTAL_AT_MOST = 2 * OCTETS_AT_MOST
_PIECE = 65536
# What comes along with descriptions and holds none.
_FOREIGN = (".bmp", ".dib", ".ico", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".pdf", ".txt", ".htm", ".html", ".doc")


def is_archive(octets: bytes) -> bool:
    """Whether the octets begin as a ZIP archive does."""
    return octets[:4] in (b"PK\x03\x04", b"PK\x05\x06")


def members(octets: bytes) -> Iterator[tuple[str, bytes]]:
    """Names and contents of the files worth reading. Raises Unreadable for damage and for what unpacks too large."""
    try:
        with zipfile.ZipFile(io.BytesIO(octets)) as archive:
            infos = [info for info in archive.infolist() if not info.is_dir()]
            if len(infos) > MEMBERS_AT_MOST:
                raise Unreadable(f"The archive holds {len(infos)} files; at most {MEMBERS_AT_MOST} are read.")
            total = 0
            for info in infos:
                if info.filename.lower().endswith(_FOREIGN):
                    continue
                if info.flag_bits & 1:
                    raise Unreadable(f"{_label(info)} in the archive is encrypted.")
                content = _unpacked(archive, info)
                total += len(content)
                if total > _TOTAL_AT_MOST:
                    raise Unreadable(f"The archive unpacks to more than {_TOTAL_AT_MOST // 2**20} MB.")
                yield _label(info), content
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError, ValueError, zipfile.zlib.error) as error:  # type: ignore[attr-defined]
        raise Unreadable(f"The archive is damaged: {error}.") from None


def _unpacked(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    """A member's octets. What it says of its own size is not believed: the bound counts what really comes."""
    most = min(OCTETS_AT_MOST, max(info.compress_size, 1) * _RATIO_AT_MOST + _PIECE)
    pieces: list[bytes] = []
    size = 0
    with archive.open(info) as stream:
        while piece := stream.read(_PIECE):
            size += len(piece)
            if size > most:
                raise Unreadable(f"{_label(info)} in the archive unpacks to far more than a description file has.")
            pieces.append(piece)
    return b"".join(pieces)


def _label(info: zipfile.ZipInfo) -> str:
    return info.filename.replace("\\", "/").rsplit("/", 1)[-1][:200] or "a file"
