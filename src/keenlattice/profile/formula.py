"""Formulas, written as in a spreadsheet: `= refresh - 3`, `= if(vram >= 8192, 4096, 1024)`.

    numbers, "texts", names of facts;  + - * /;  = <> < <= > >=;  and, or, not;  min(), max(), round(), if()

They come from strangers' packs: Python's parser reads them, nothing but this list is taken of what it finds, and none
of it is run as Python. They are bounded in length, depth and size of numbers. There is no power, no attribute, no
loop. What is missing (None) or of another type compares as false, so that a condition over facts that a rig does not
tell is simply not met.
"""

import ast
import math
import re
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache

from keenlattice.errors import BadValue, counted, way

LONGEST, DEEPEST, LARGEST = 400, 24, 1e15

Term = float | str | bool | None
Names = Mapping[str, object]
Evaluate = Callable[["Scope"], Term]

TOKEN = re.compile(r"\s*(?:(\d+(?:\.\d+)?)|\"([^\"]*)\"|([A-Za-z_][A-Za-z0-9_]*)|(<>|<=|>=|[-+*/=<>(),]))")
WORDS = ("and", "or", "not")
PYTHONS = {"=": "==", "<>": "!="}
NAMED = "n_"  # stands before each name, so that none is a word of Python's
COMPARISONS = (ast.Eq, ast.NotEq, ast.Lt, ast.LtE, ast.Gt, ast.GtE)
ARITHMETIC = (ast.Add, ast.Sub, ast.Mult, ast.Div)


class Scope:
    """What a formula may look up: names of facts, and functions of settings (`value("frame.cap")`)."""

    def __init__(self, names: Names, functions: Mapping[str, Callable[..., Term]] | None = None) -> None:
        self.names = names
        self.functions = functions or {}


def is_formula(value: object) -> bool:
    """Whether a stored value is a formula, and not the value itself."""
    return isinstance(value, str) and value.startswith("=")


def formula_names(facts: Names) -> dict[str, object]:
    """Facts by the names that formulas call them by: without the unit that ends them (`refresh_hz` is `refresh`)."""
    return {re.sub(r"_(hz|mib|mts)$", "", name): value for name, value in facts.items()}


def evaluate(formula: str, facts: Names) -> float:
    """The number that a stored formula (with its `=`) gives, on a rig with these facts.

    Raises:
        BadValue: it is not a formula, names a fact that the rig does not tell, or gives no number.
    """
    outcome = parse(formula.removeprefix("="))(Scope(formula_names(facts)))
    if isinstance(outcome, bool) or not isinstance(outcome, int | float):
        raise BadValue(f"the formula {_short(formula)} gives {outcome!r}, and not a number")
    return outcome


@lru_cache(maxsize=4096)
def parse(text: str) -> Evaluate:
    """An expression (without `=` in front), ready to be evaluated as often as one likes.

    Raises:
        BadValue: it cannot be read, or is too long or too deep.
    """
    if len(text) > LONGEST:
        raise BadValue(f"the formula {_short(text)} is longer than {LONGEST} characters")
    return _parsed(text)


def _short(text: str) -> str:
    shown = text if len(text) <= 50 else f"{text[:47]}..."
    return repr(shown.strip())


def _translated(text: str) -> tuple[str, list[tuple[int, str]]]:
    """The expression as Python writes it, every name behind a letter of ours; and where each word of it begins."""
    pieces, places, length = list[str](), list[tuple[int, str]](), 0
    at, end, brackets, signs = 0, len(text.rstrip()), 0, 0  # those that are open; "not" and "-" in a row
    while at < end:
        match = TOKEN.match(text, at)
        if match is None:
            raise _bad(text, f"{text[at:].strip()[:12]!r} means nothing in a formula")
        number, quoted, name, sign = match.groups()
        if name is not None:
            piece = name if name in WORDS else NAMED + name
        elif number is not None:
            piece = repr(_bounded(float(number)))
        else:  # brackets keep two texts in a row from being one
            piece = PYTHONS.get(sign, sign) if sign else f"({quoted!r})"
        brackets += (sign == "(") - (sign == ")")
        signs = signs + 1 if name == "not" or sign == "-" else 0
        if brackets + signs > DEEPEST:
            raise _bad(text, "it is nested too deep")
        places.append((length, quoted if quoted is not None else match[0].strip()))
        pieces.append(piece)
        length += len(piece) + 1
        at = match.end()
    return " ".join(pieces), places


def _parsed(text: str) -> Evaluate:
    """What evaluates an expression: Python's own parser reads it, and only what is listed here is taken of that."""
    source, places = _translated(text)
    try:
        tree = ast.parse(source, mode="eval")
    except SyntaxError as error:
        if "never closed" in error.msg:
            raise _bad(text, "a ')' is missing") from None
        words = [word for begin, word in places if begin < (error.offset or 0)]
        ended = (error.offset or 0) > len(source) or not words
        raise _bad(text, "it ends too early" if ended else f"{words[-1]!r} stands where it should not") from None
    except (MemoryError, RecursionError):
        raise _bad(text, "it is nested too deep") from None
    return _made(text, tree.body)


def _bad(text: str, why: str) -> BadValue:
    return BadValue(f"the formula {_short(text)} cannot be read: {why}; write it like = refresh - 3")


def _made(text: str, node: ast.expr) -> Evaluate:
    """What evaluates one part of the tree."""
    match node:
        case ast.Constant(value=str() as word):
            return lambda scope: word
        case ast.Constant(value=float() as number):
            return lambda scope: number
        case ast.Name(id=name):
            return lambda scope: _look_up(scope, name.removeprefix(NAMED))
        case ast.BoolOp(op=op, values=values):
            met, parts = any if isinstance(op, ast.Or) else all, [_made(text, value) for value in values]
            return lambda scope: met(_truth(part(scope)) for part in parts)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            negated = _made(text, operand)
            return lambda scope: not _truth(negated(scope))
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            return _arithmetic(ast.Sub, lambda scope: 0.0, _made(text, operand))
        case ast.BinOp(left=left, op=op, right=right) if type(op) in ARITHMETIC:
            return _arithmetic(type(op), _made(text, left), _made(text, right))
        case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in COMPARISONS:
            sides, sign = (_made(text, left), _made(text, right)), type(op)
            return lambda scope: _compare(sign, sides[0](scope), sides[1](scope))
        case ast.Call(func=ast.Name(id=name), args=values, keywords=[]):
            return _call(text, name.removeprefix(NAMED), [_made(text, value) for value in values])
    raise _bad(text, "there are numbers, texts, names, + - * /, comparisons, and, or, not, and functions")


def _call(text: str, name: str, arguments: Sequence[Evaluate]) -> Evaluate:
    if name != "if":
        return lambda scope: _apply(scope, name, [argument(scope) for argument in arguments])
    if len(arguments) != 3:
        raise _bad(text, "if() takes a condition, a value, and another value")
    condition, then, otherwise = arguments
    return lambda scope: then(scope) if _truth(condition(scope)) else otherwise(scope)


def _look_up(scope: Scope, name: str) -> Term:
    if name not in scope.names:
        raise BadValue(f"no fact named {name!r} on this rig; {way('keen survey', 'ws.rig.facts.list()')} lists them")
    value = scope.names[name]
    return value if isinstance(value, bool | int | float | str) else None


def _truth(value: Term) -> bool:
    return value is True


def _compare(sign: type[ast.cmpop], left: Term, right: Term) -> bool:
    if sign is ast.Eq:
        return left == right and isinstance(left, bool) == isinstance(right, bool)
    if sign is ast.NotEq:
        return left is not None and right is not None and not _compare(ast.Eq, left, right)
    if not _is_number(left) or not _is_number(right):
        return False
    assert isinstance(left, int | float) and isinstance(right, int | float)
    return {ast.Lt: left < right, ast.LtE: left <= right, ast.Gt: left > right, ast.GtE: left >= right}[sign]


def _is_number(value: Term) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _number(value: Term) -> float:
    if not _is_number(value):
        raise BadValue(f"a formula calculates with numbers, and {value!r} is none")
    assert isinstance(value, int | float)
    return float(value)


def _bounded(value: float) -> float:
    if not math.isfinite(value) or abs(value) > LARGEST:
        raise BadValue(f"a formula gives more than {LARGEST:g}, or no number")
    return value


def _arithmetic(sign: type[ast.operator], left: Evaluate, right: Evaluate) -> Evaluate:
    def compute(scope: Scope) -> float:
        first, second = _number(left(scope)), _number(right(scope))
        if sign is ast.Div and second == 0:
            raise BadValue("a formula divides by nothing")
        return _bounded({ast.Add: first + second, ast.Sub: first - second, ast.Mult: first * second,
                         ast.Div: first / (second or 1)}[sign])
    return compute


def _apply(scope: Scope, name: str, arguments: Sequence[Term]) -> Term:
    if name in ("min", "max") and arguments:
        return (min if name == "min" else max)(_number(argument) for argument in arguments)
    if name == "round" and len(arguments) == 1:
        return float(math.floor(_number(arguments[0]) + 0.5))
    if name in scope.functions:
        try:
            return scope.functions[name](*arguments)
        except TypeError:
            raise BadValue(f"{name}() does not take {len(arguments)} values") from None
    raise BadValue(f"no function {name}() of {counted(len(arguments), 'value')}; there are min, max, round and if")
