"""A run sheet to print or to work from: as Markdown, or as one HTML page that fetches nothing."""

from html import escape

from keenlattice.catalog.values import Value, written
from keenlattice.profile.sheet import Sheet, SheetStep
from keenlattice.report.markdown import plain_text

BOX = {"open": "[ ]", "said": "[x]", "seen": "[x]", "written": "[x]"}
STYLE = """
:root { color-scheme: light dark; }
body { font: 16px/1.5 system-ui, sans-serif; max-width: 46rem; margin: 2rem auto; padding: 0 1rem; }
h1 { font-size: 1.4rem; line-height: 1.25; }
h2 { font-size: 1.1rem; margin: 2rem 0 .5rem; border-bottom: 1px solid; }
li { margin: 0 0 1.1rem; break-inside: avoid; list-style: none; display: flex; gap: .8rem; }
ol { padding: 0; }
.box { flex: none; width: 1.1rem; height: 1.1rem; border: 2px solid; margin-top: .2rem; text-align: center;
       line-height: 1rem; font-weight: bold; }
.what { font-weight: 600; }
p { margin: .1rem 0; }
code { overflow-wrap: anywhere; }
@media print { body { margin: 0; max-width: none; } }
"""


def markdown(sheet: Sheet) -> str:
    """The sheet as Markdown, a task list per restart."""
    lines = [f"# Run sheet: {plain_text(sheet.title)}", ""]
    if sheet.note:
        lines += [plain_text(sheet.note), ""]
    for restart, steps in sheet.groups():
        lines += [f"## {heading(restart)}", ""]
        for step in steps:
            lines += [f"- {BOX[step.done]} **{step.number}. {plain_text(step.title)}** (`{step.key}`, {whom(step)})  ",
                      f"  {was(step)} **{shown(step, step.after)}**"
                      + ", with an administrator's rights" * step.rights + "  ",
                      *(f"  {label}: {plain_text(text)}  " for label, text in _parts(step)), ""]
    return "\n".join(lines)


def page(sheet: Sheet) -> str:
    """The sheet as an HTML page."""
    parts = [f"<h1>Run sheet: {escape(sheet.title)}</h1>", f"<p>{escape(sheet.note)}</p>" if sheet.note else ""]
    for restart, steps in sheet.groups():
        parts += [f"<h2>{heading(restart)}</h2>", "<ol>", *(_item(step) for step in steps), "</ol>"]
    return ("<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width'>"
            f"<title>Run sheet: {escape(sheet.title)}</title><style>{STYLE}</style><body>{''.join(parts)}</body>"
            "</html>\n")


def _item(step: SheetStep) -> str:
    details = "".join(f"<p>{label}: {escape(text)}</p>" for label, text in _parts(step))
    rights = ", with an administrator's rights" * step.rights
    return (f"<li><span class=box aria-label='{'open' if step.done == 'open' else 'done'}'>"
            f"{'' if step.done == 'open' else 'x'}</span><div><p class=what>{step.number}. {escape(step.title)}</p>"
            f"<p>{escape(was(step))} <b>{escape(shown(step, step.after))}</b>{rights}</p>{details}"
            f"<p><code>{escape(step.key)}</code>, {escape(whom(step))}</p></div></li>")


def _parts(step: SheetStep) -> list[tuple[str, str]]:
    otherwise = ", which is not what was to be set: it did not take" * step.otherwise
    seen = [("You saw", shown(step, step.seen) + otherwise)] if step.done == "seen" else []
    return [("Why", step.why), ("Where", step.where), ("To check", step.check), *seen]


def heading(restart: str) -> str:
    """What a group of steps waits for, in words."""
    if restart == "none":
        return "At once"
    return f"Then restart the {restart} once all of these are done"


def whom(step: SheetStep) -> str:
    """Whom a step is for."""
    return "for the whole rig" if step.owner == "rig" else f"for {step.owner}"


def was(step: SheetStep) -> str:
    """What is there before a step, as it stands before what to set."""
    if step.before is None and step.was is not None:
        return f"from {written(step.was, step.unit)} to"
    if step.before is None:
        return "from what is there (not known: note it) to" if step.done == "open" else "to"
    return f"from {shown(step, step.before)} to"


def shown(step: SheetStep, value: Value | None) -> str:
    """A value with its unit; none is what was there before anything was set."""
    if value is None and step.was is not None:
        return f"{written(step.was, step.unit)}, as it was"
    return "what was there before it was set" if value is None else written(value, step.unit)
