"""POSIX extended regular expressions by the C library, which is what the driver matches executables with."""

import ctypes
import math
import re
from functools import cache, lru_cache

REG_EXTENDED, REG_NOSUB = 1, 8
LONGEST = 500       # the C library takes memory without bound for some long patterns,
MOST_REPEATS = 1000  # and for repeats of repeats that are counted;
BACK_REFERENCE = re.compile(r"\\[1-9]")  # and time without bound for these
COUNTED = re.compile(r"\{(\d*),?(\d*)\}")
ROOM_FOR_ONE = 256  # bytes; glibc's regex_t takes 64


@cache
def _library() -> ctypes.CDLL:
    return ctypes.CDLL(None)


@lru_cache(maxsize=1024)
def _compiled(pattern: str) -> "ctypes.Array[ctypes.c_char] | None":
    compiled = ctypes.create_string_buffer(ROOM_FOR_ONE)
    if len(pattern) > LONGEST or "\0" in pattern or _is_costly(pattern):
        return None
    failed = _library().regcomp(compiled, pattern.encode(), REG_EXTENDED | REG_NOSUB)
    return None if failed else compiled


def _is_costly(pattern: str) -> bool:
    counts = [max(int(one or 1) for one in (found[1][:6], found[2][:6])) for found in COUNTED.finditer(pattern)]
    return BACK_REFERENCE.search(pattern) is not None or math.prod(counts) > MOST_REPEATS


def is_pattern(pattern: str) -> bool:
    """Whether the C library takes it, and would not take for ever over it."""
    return _compiled(pattern) is not None


def found(pattern: str, text: str) -> bool:
    """Whether a pattern is found anywhere in a text; a pattern that cannot be read is found nowhere."""
    compiled = _compiled(pattern)
    return compiled is not None and _library().regexec(compiled, text.encode(), 0, None, 0) == 0
