"""Short names of metrics, as players say them."""

SHORT_NAMES = {"fps": "fps_mean", "frame-time": "frame_ms_mean", "latency": "latency_ms_median",
               "1%-low": "low_1_fps", "stutters": "stutters_per_min", "power": "power_w_mean"}


def full_name(name: str) -> str:
    """Return the name of a metric that may be a short one.

    >>> full_name(" fps"), full_name("frame_ms_p99")
    ('fps_mean', 'frame_ms_p99')
    """
    name = name.strip()
    return SHORT_NAMES.get(name, name)
