"""What else works on a PC with Windows: what it reports, what starts with the player, which services run."""

from collections.abc import Iterable, Mapping

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.noted import as_setting, told_apart
from keenlattice.rig.stored import StoredSetting, Texts
from keenlattice.rig.windows.values import NUMBER, keys_of, number, place, written

POLICIES = r"SOFTWARE\Policies"
REPORTS = (r"SOFTWARE\Policies\Microsoft\Windows\DataCollection", "AllowTelemetry")
REQUIRED_ONLY = 1
RUN = r"Software\Microsoft\Windows\CurrentVersion\Run"
RUN_KEYS = (("HKCU", RUN), ("HKLM", RUN), ("HKLM", r"Software\WOW6432Node\Microsoft\Windows\CurrentVersion\Run"))
MOST = 200
AUTOMATIC, DELAYED, DISABLED = "2", " delayed", "4"
STARTS = {AUTOMATIC: "automatic", AUTOMATIC + DELAYED: "automatic-delayed", "3": "manual", DISABLED: "disabled"}
"""The system's number of each way of starting, and what stands behind it of a service that waits for the others."""
SEARCH_INDEX = "WSearch"


def telemetry_places() -> list[str]:
    """The value that says what is reported, and the keys above it."""
    return [*keys_of("HKLM", REPORTS[0], POLICIES), place("HKLM", *REPORTS)]


def telemetry() -> StoredSetting:
    """Usage telemetry, by the system's policy; off leaves what the system calls required."""
    value_place, keys = place("HKLM", *REPORTS), keys_of("HKLM", REPORTS[0], POLICIES)

    def value(texts: Texts) -> bool | None:
        level = number(texts.get(value_place))
        return True if level is None else level > REQUIRED_ONLY

    def texts(value: Value, held: Texts) -> Texts:
        if value:
            return {value_place: None}
        return {**{key: "key" for key in keys}, value_place: written(NUMBER, REQUIRED_ONLY)}

    setting = catalog()["background.telemetry"]
    return StoredSetting(setting.name, setting.adapted(restart="machine"), value, texts)


def startup(places: Iterable[str], held: Texts) -> list[StoredSetting]:
    """A setting for each program that the registry starts with the player.

    Args:
        places: of the values that do.
        held: what these hold now.
    """
    named = told_apart({where: as_setting("startup", where.split("/", 3)[3]) for where in sorted(places)[:MOST]})
    return [_started(key, where, held.get(where)) for where, key in named.items()]


def _started(key: str, value_place: str, now: str | None) -> StoredSetting:
    _, hive, _, program = value_place.split("/", 3)

    def texts(value: Value, held: Texts) -> Texts:
        if value is False:
            return {value_place: None}
        if (held.get(value_place) or now) is None:
            raise RefusedByRig(f"{key}: how {program} is started is not known any more: set it up in that program")
        return {value_place: held.get(value_place) or now}

    return StoredSetting(key, Setting(
        name=key, title=f"{_plain(program)}, started with the system", kind="switch", scope="rig",
        stock=True, rights=hive == "HKLM", restart="machine", moves={"frame-tail": "down"},
        sure="disputed", trades="Fewer programs leave more memory, and fewer bursts of work.",
        where="The system's list of what starts with it, or the program's own settings.",
        check="Sign out and in again: it is not in the list of processes.",
        advice="Take the large ones first: memory and work show in the list of processes."),
        lambda texts: texts.get(value_place) is not None, texts, kept_as=value_place)


def services(titles: Mapping[str, str]) -> list[StoredSetting]:
    """A setting for the way of starting of each service, and the search index, which is one of them.

    Args:
        titles: of the services, by their names.
    """
    named = told_apart({name: as_setting("service", name) for name in sorted(titles)})
    result = [_service(key, name, titles[name]) for name, key in named.items()]
    return [*result, _search_index()] if SEARCH_INDEX in titles else result


def service_place(name: str) -> str:
    """What a service's way of starting is called as a place."""
    return f"service/{name}"


def _service(key: str, name: str, title: str) -> StoredSetting:
    numbers = {word: digit for digit, word in STARTS.items()}
    return StoredSetting(key, Setting(
        name=key, title=f"Service {_plain(title)}", kind="choice", choices=tuple(numbers), scope="rig",
        stock="automatic", rights=True, restart="machine", moves={"frame-tail": "down"},
        sure="disputed", trades="Disabled, it does nothing in mid-game, and what it is there for is not done.",
        where="The system's list of services.", check="After a restart it is stopped in that list.",
        advice="Most services sleep: measure it, and look which of them take time while you play."),
        lambda texts: STARTS.get(texts.get(service_place(name)) or ""),
        lambda value, held: {service_place(name): numbers[str(value)]}, kept_as=service_place(name))


def _search_index() -> StoredSetting:
    setting, where = catalog()["background.search-index"], service_place(SEARCH_INDEX)

    def value(texts: Texts) -> Value | None:
        return None if texts.get(where) is None else texts[where] != DISABLED

    def texts(wanted: Value, held: Texts) -> Texts:
        started = AUTOMATIC + DELAYED * (held.get(where) == AUTOMATIC + DELAYED)  # one that waits goes on to
        return {where: started if wanted else DISABLED}

    return StoredSetting(setting.name, setting.adapted(restart="machine"), value, texts)


def _plain(text: str) -> str:
    """A program's own name, as a title may hold it."""
    return "".join(letter for letter in text if letter.isprintable()).strip()[:60] or "without a name"
