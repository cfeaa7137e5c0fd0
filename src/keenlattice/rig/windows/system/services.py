"""Services: each one's way of starting, as the service manager has it."""

import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import cached_property
from typing import Any

import pywintypes
import win32service

assert sys.platform == "win32"

from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import Texts
from keenlattice.rig.windows.background import AUTOMATIC, DELAYED, MOST, STARTS
from keenlattice.rig.windows.system.libraries import refusal

PREFIX = "service/"
UNCHANGED = win32service.SERVICE_NO_CHANGE
OF_A_PROCESS = win32service.SERVICE_WIN32
DELAY = win32service.SERVICE_CONFIG_DELAYED_AUTO_START_INFO


class ServiceStore:
    """The services that nothing else depends on: those that start on their own, and those that run.

    Args:
        changed: names of those that we have changed: they stay, however they start now.
    """

    def __init__(self, changed: Callable[[], Iterable[str]]) -> None:
        self._changed = changed

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    @cached_property
    def titles(self) -> dict[str, str]:
        """The titles of the services that are offered, by name."""
        changed = list(self._changed())
        offered = dict(_offered(changed))
        ours = {name: offered.pop(name, "") for name in changed}
        return {**ours, **dict(sorted(offered.items())[:MOST])}

    def read(self) -> Texts:
        """Return every service that is offered, and the number of its way of starting, with what delays it."""
        with _manager() as manager:
            return {f"{PREFIX}{name}": _start_of(manager, name) for name in self.titles}

    def check(self, texts: Texts) -> None:
        """Check whether the service manager lets us change these."""
        for place in texts:
            with _service(place.removeprefix(PREFIX), win32service.SERVICE_CHANGE_CONFIG):
                pass

    def write(self, texts: Texts) -> None:
        """Change the way of starting of some services; whether they run now stays as it is."""
        for place, text in texts.items():
            if text is None:
                continue
            name = place.removeprefix(PREFIX)
            with _service(name, win32service.SERVICE_CHANGE_CONFIG | win32service.SERVICE_QUERY_CONFIG) as service:
                try:
                    _set_start(service, int(text.removesuffix(DELAYED)), text.endswith(DELAYED))
                except pywintypes.error as error:
                    raise refusal(f"the service {name}", error.winerror) from None

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return f"the service {place.removeprefix(PREFIX)}" if place.startswith(PREFIX) else ""


def _offered(changed: Iterable[str]) -> Iterator[tuple[str, str]]:
    """The names and titles of services that nothing depends on, and that the system can start without."""
    ours = set(changed)
    try:
        with _manager(win32service.SC_MANAGER_ENUMERATE_SERVICE) as manager:
            services = win32service.EnumServicesStatus(manager, OF_A_PROCESS, win32service.SERVICE_STATE_ALL)
            for name, title, status in services:
                start, runs = _start_of(manager, name), status[1] == win32service.SERVICE_RUNNING
                starts = start in STARTS and (start.startswith(AUTOMATIC) or runs)
                if name in ours or (starts and not _needed(manager, name)):
                    yield name, title
    except (pywintypes.error, RefusedByRig):
        return


def _start_of(manager: Any, name: str) -> str | None:
    try:
        service = win32service.OpenService(manager, name, win32service.SERVICE_QUERY_CONFIG)
        try:
            start = str(win32service.QueryServiceConfig(service)[1])
            return start + DELAYED * (start == AUTOMATIC and _is_delayed(service))
        finally:
            win32service.CloseServiceHandle(service)
    except pywintypes.error:
        return None


def _set_start(service: Any, start: int, delayed: bool) -> None:
    win32service.ChangeServiceConfig(service, UNCHANGED, start, UNCHANGED, None, None, False, None, None, None, None)
    if delayed or (start == int(AUTOMATIC) and _is_delayed(service)):
        win32service.ChangeServiceConfig2(service, DELAY, delayed)


def _is_delayed(service: Any) -> bool:
    """Whether a service that starts by itself waits until the others have; no, where the system cannot be asked."""
    try:
        return bool(win32service.QueryServiceConfig2(service, DELAY))
    except pywintypes.error:
        return False


def _needed(manager: Any, name: str) -> bool:
    """Whether other services depend on one, or the system does not start without it; one that is silent is needed."""
    access = win32service.SERVICE_ENUMERATE_DEPENDENTS | win32service.SERVICE_QUERY_CONFIG
    try:
        service = win32service.OpenService(manager, name, access)
        try:
            severe = win32service.QueryServiceConfig(service)[2] >= win32service.SERVICE_ERROR_SEVERE
            return severe or bool(win32service.EnumDependentServices(service, win32service.SERVICE_STATE_ALL))
        finally:
            win32service.CloseServiceHandle(service)
    except pywintypes.error:
        return True


@contextmanager
def _manager(access: int = win32service.SC_MANAGER_CONNECT) -> Iterator[Any]:
    manager = win32service.OpenSCManager(None, None, access)
    try:
        yield manager
    finally:
        win32service.CloseServiceHandle(manager)


@contextmanager
def _service(name: str, access: int) -> Iterator[Any]:
    with _manager() as manager:
        try:
            service = win32service.OpenService(manager, name, access)
        except pywintypes.error as error:
            raise refusal(f"the service {name}", error.winerror) from None
        try:
            yield service
        finally:
            win32service.CloseServiceHandle(service)
