"""A film's pictures, as the brightness of each, read one after the other within bounds.

A film comes from a stranger as often as not: only the formats that `_container` knows are read, told by their first
bytes, none of which is a list of other files, and nothing but the file itself is opened.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO, cast

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError, NeedsInstalling
from keenlattice.files import check_regular
from keenlattice.quickly import dataclass

if TYPE_CHECKING:
    from av.container import InputContainer
    from av.video.frame import VideoFrame

MOST_PIXELS, MOST_PICTURES, MOST_STREAMS, MOST_BYTES = 2**25, 1_000_000, 32, 2**36
SMALLEST, LARGEST = 64, 8192
FASTEST_HZ = 2000.0
LUMA_FIRST = ("yuv", "nv1", "nv2", "gray", "p010", "p016")  # formats of pixels whose first plane is brightness alone
LIMITED_BLACK, LIMITED_WHITE = 16.0, 235.0
CAPTURE_RATE = "capture.fps"  # how the tag ends in which a phone keeps the rate that it filmed at

TELL_EVERY = 100
Progress = Callable[[int, int], object]
Pixels = NDArray[np.uint8] | NDArray[np.uint16]


@dataclass(frozen=True, eq=False)
class FilmPicture:
    """One picture of a film.

    Args:
        at_ms: its stamp, in ms by the file.
        pixels: its brightness, not rotated; shape (height, width).
        black, white: the values of `pixels` that stand for no light and for the most.
    """

    at_ms: float
    pixels: Pixels
    black: float
    white: float


@dataclass(frozen=True)
class Film:
    """What a film says of itself before its pictures are read.

    Args:
        path: the file.
        width, height: of its pictures as they are stored, in pixels.
        rotation: by how many degrees, against the clock, a player turns them to show them: 0, 90, 180 or 270.
        seconds: how long it says it is; 0 if it does not.
        pictures: how many pictures it says it has, or has by its length and rate; 0 if that is unknown.
        sound_s: how long its sound lasts; 0 if it has none.
        shot_at_hz: the rate that it was filmed at, if the phone has noted that; else 0.
    """

    path: Path
    width: int
    height: int
    rotation: int
    seconds: float
    pictures: int
    sound_s: float
    shot_at_hz: float


def film_header(path: Path) -> tuple[str, str, str]:
    """What stands for a film's columns: films of one size and rate, as one camera makes in one mode, are read alike.

    Raises:
        CaptureError: the file is not a film that can be read.
        NeedsInstalling: the extra `film` is not installed.
    """
    film = look_at(path)
    rate = film.pictures / film.seconds if film.seconds else 0.0
    return "film", f"{film.width}x{film.height}", f"about {round(rate, -1):.0f} a second"


def look_at(path: Path) -> Film:
    """Return what a film says of itself.

    Raises:
        CaptureError: the file is not a film that can be read.
        NeedsInstalling: the extra `film` is not installed.
    """
    with _opened(path) as container:
        stream = container.streams.video[0]
        seconds = _seconds(stream) or float((container.duration or 0) / 1_000_000)
        rate = float(stream.average_rate or 0)  # guessed where the file does not say: beyond FASTEST_HZ it is wrong
        pictures = stream.frames or (round(seconds * rate) if rate <= FASTEST_HZ else 0)
        if pictures > MOST_PICTURES:
            raise CaptureError(f"{path} says it has {pictures} pictures; {MOST_PICTURES} are read: cut out the part "
                               "that counts")
        first = next(_decoded(path, container), None)
        if first is None:
            raise CaptureError(f"{path} holds no picture that can be read")
        tags = {**container.metadata, **stream.metadata}
        return Film(path, first.width, first.height, int(getattr(first, "rotation", 0)) % 360, seconds, pictures,
                    max((_seconds(sound) for sound in container.streams.audio), default=0.0), _capture_rate(tags))


def pictures(film: Film, progress: Progress | None = None) -> Iterator[FilmPicture]:
    """Read a film's pictures, each once, in order of time.

    Args:
        film: which.
        progress: is called, every TELL_EVERY pictures, with how many are read, and how many there are.

    Raises:
        CaptureError: the film is damaged, its pictures change their size, or their stamps do not move on.
    """
    last = -np.inf
    with _opened(film.path) as container:
        exact = _exact(container.streams.video[0])
        for number, frame in enumerate(_decoded(film.path, container)):
            if number == MOST_PICTURES:
                raise CaptureError(f"{film.path} has more than {MOST_PICTURES} pictures: cut out the part that counts")
            if (frame.width, frame.height) != (film.width, film.height):
                raise CaptureError(f"{film.path}: picture {number + 1} is {frame.width}x{frame.height}, the first one "
                                   f"{film.width}x{film.height}: its pictures change their size")
            at_ms = np.nan if frame.time is None else exact(number, 1000 * float(frame.time))
            if not at_ms > last:
                raise CaptureError(f"{film.path}: the stamp of picture {number + 1} does not come after the one before")
            last = at_ms
            if progress and number % TELL_EVERY == 0:
                progress(number, film.pictures)
            yield FilmPicture(at_ms, *_brightness(frame))


@contextmanager
def _opened(path: Path) -> "Iterator[InputContainer]":
    try:
        import av
    except ImportError:
        raise NeedsInstalling("reading a film takes a package more: pip install av") from None
    check_regular(path)
    if path.stat().st_size > MOST_BYTES:
        raise CaptureError(f"{path} is larger than {MOST_BYTES >> 30} GiB: cut out the part that counts")
    try:
        with path.open("rb") as file, av.open(file, format=_container(path, file), metadata_errors="ignore",
                                              io_open=_refuse, options={"max_streams": str(MOST_STREAMS)}) as container:
            if not container.streams.video:
                raise CaptureError(f"{path} holds no pictures")
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            stream.codec_context.options = {"max_pixels": str(MOST_PIXELS)}
            _check_size(path, stream.width, stream.height)
            yield cast("InputContainer", container)
    except (av.error.FFmpegError, ValueError, MemoryError) as error:
        raise _damaged(path, error) from None
    except OSError as error:
        raise CaptureError(f"cannot read {path}: {error.strerror or error}") from None


def _container(path: Path, file: BinaryIO) -> str:
    start = file.read(16)
    file.seek(0)
    if start[:4] == b"\x1a\x45\xdf\xa3":
        return "matroska"
    if start[:4] == b"RIFF" and start[8:12] == b"AVI ":
        return "avi"
    if start[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"):
        return "mov"
    raise CaptureError(f"{path} is not a film that is read here: MP4, MOV, MKV, WebM and AVI are")


def _refuse(url: str, flags: int, options: dict[str, str]) -> Any:
    """A film that names other files gets none of them."""
    raise OSError("it names another file, which is not opened")


def _check_size(path: Path, width: int, height: int) -> None:
    if not (min(width, height) >= SMALLEST and max(width, height) <= LARGEST):
        raise CaptureError(f"{path}: pictures of {width}x{height} pixels: {SMALLEST} to {LARGEST} a side are read")


def _decoded(path: Path, container: "InputContainer") -> "Iterator[VideoFrame]":
    import av

    try:
        yield from container.decode(container.streams.video[0])
    except (av.error.FFmpegError, ValueError, MemoryError) as error:
        raise _damaged(path, error) from None


def _damaged(path: Path, error: BaseException) -> CaptureError:
    reason = " ".join(str(getattr(error, "strerror", "") or error).split()) or type(error).__name__
    return CaptureError(f"cannot read {path} as a film: {reason[:120]}")


def _seconds(stream: Any) -> float:
    return float((stream.duration or 0) * (stream.time_base or 0))


def _exact(stream: Any) -> Callable[[int, float], float]:
    """What makes a stamp exact that its container has rounded, if the pictures come at the rate that it names."""
    rate, tick = float(stream.average_rate or 0), 1000 * float(stream.time_base or 0)
    begin = list[float]()

    def exact(number: int, stamp: float) -> float:
        begin[:] = begin or [stamp]
        even = stamp if not rate else begin[0] + number * 1000 / rate
        return even if abs(even - stamp) <= tick else stamp

    return exact


def _capture_rate(tags: dict[str, str]) -> float:
    for name, text in tags.items():
        if name.lower().endswith(CAPTURE_RATE):
            try:
                rate = float(text)
            except ValueError:
                continue
            return rate if 10 <= rate <= 100_000 else 0.0
    return 0.0


def _brightness(frame: "VideoFrame") -> tuple[Pixels, float, float]:
    """The plane of brightness, without a copy where the picture has one, and its values for black and white."""
    bits = frame.format.components[0].bits
    if not frame.format.name.startswith(LUMA_FIRST) or bits not in (8, 10, 12, 16):
        frame, bits = frame.reformat(format="gray"), 8
    plane = frame.planes[0]
    kind = np.uint8 if bits == 8 else np.uint16
    rows = np.frombuffer(plane, kind)  # type: ignore[call-overload]
    pixels = rows.reshape(plane.height, plane.line_size // rows.itemsize)[:, :plane.width]
    top = 2.0 ** (16 if frame.format.name.startswith("p01") else bits)
    if _full_range(frame):
        return pixels, 0.0, top * 255 / 256
    return pixels, LIMITED_BLACK / 256 * top, LIMITED_WHITE / 256 * top


def _full_range(frame: "VideoFrame") -> bool:
    full = 2
    return frame.color_range == full or frame.format.name.startswith(("yuvj", "gray"))
