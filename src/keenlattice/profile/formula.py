"""Formulas, written as in a spreadsheet: `= refresh - 3`, `= if(vram >= 8192, 4096, 1024)`.

    numbers, "texts", names of facts;  + - * /;  = <> < <= > >=;  and, or, not;  min(), max(), round(), if()

They come from strangers' packs: the evaluator is our own small one, which knows nothing but this list, and is bounded
in length, depth and size of numbers. There is no power, no attribute, no loop. What is missing (None) or of another
type compares as false, so that a condition over facts that a rig does not tell is simply not met.
"""

import math
import re
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache

from keenlattice.errors import BadValue

LONGEST, DEEPEST, LARGEST = 400, 24, 1e15

Term = float | str | bool | None
Names = Mapping[str, object]
Evaluate = Callable[["Scope"], Term]

TOKEN = re.compile(r"\s*(?:(\d+(?:\.\d+)?)|\"([^\"]*)\"|([A-Za-z_][A-Za-z0-9_]*)|(<>|<=|>=|[-+*/=<>(),]))")
WORDS = ("and", "or", "not")
COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")


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
    """The number that a stored formula (with its `=`) comes to, on a rig with these facts.

    Raises:
        BadValue: it is no formula, names a fact that the rig does not tell, or comes to no number.
    """
    outcome = parse(formula.removeprefix("="))(Scope(formula_names(facts)))
    if isinstance(outcome, bool) or not isinstance(outcome, int | float):
        raise BadValue(f"the formula {_short(formula)} comes to {outcome!r}, and not to a number")
    return outcome


@lru_cache(maxsize=4096)
def parse(text: str) -> Evaluate:
    """An expression (without `=` in front), ready to be evaluated as often as one likes.

    Raises:
        BadValue: it cannot be read, or is too long or too deep.
    """
    if len(text) > LONGEST:
        raise BadValue(f"the formula {_short(text)} is longer than {LONGEST} characters")
    return _Parser(text).whole()


def _short(text: str) -> str:
    shown = text if len(text) <= 50 else f"{text[:47]}..."
    return repr(shown.strip())


class _Parser:
    """Recursive descent over the tokens of one expression; each method returns what evaluates its part."""

    def __init__(self, text: str) -> None:
        self._text, self._depth, self._next = text, 0, 0
        self._tokens = self._split(text)

    def _split(self, text: str) -> list[tuple[str, str]]:
        tokens, at, end = [], 0, len(text.rstrip())
        while at < end:
            match = TOKEN.match(text, at)
            if match is None:
                raise self._bad(f"{text[at:].strip()[:12]!r} means nothing in a formula")
            kind = ("number", "text", "name", "sign")[(match.lastindex or 1) - 1]
            word = match[match.lastindex or 1]
            tokens.append(("sign" if kind == "name" and word in WORDS else kind, word))
            at = match.end()
        return tokens

    def _bad(self, why: str) -> BadValue:
        return BadValue(f"the formula {_short(self._text)} cannot be read: {why}; write it like = refresh - 3")

    def whole(self) -> Evaluate:
        found = self._either()
        if self._next < len(self._tokens):
            raise self._bad(f"{self._tokens[self._next][1]!r} is one too many")
        return found

    def _take(self, *signs: str) -> str:
        """The next token, if it is one of these signs."""
        if self._next < len(self._tokens):
            kind, word = self._tokens[self._next]
            if kind == "sign" and word in signs:
                self._next += 1
                return word
        return ""

    def _need(self, sign: str) -> None:
        if not self._take(sign):
            raise self._bad(f"a {sign!r} is missing")

    def _either(self) -> Evaluate:
        self._depth += 1
        if self._depth > DEEPEST:
            raise self._bad("it is nested too deep")
        parts = [self._all()]
        while self._take("or"):
            parts.append(self._all())
        self._depth -= 1
        return parts[0] if len(parts) == 1 else lambda scope: any(_truth(part(scope)) for part in parts)

    def _all(self) -> Evaluate:
        parts = [self._comparison()]
        while self._take("and"):
            parts.append(self._comparison())
        return parts[0] if len(parts) == 1 else lambda scope: all(_truth(part(scope)) for part in parts)

    def _comparison(self) -> Evaluate:
        if self._take("not"):
            self._depth += 1
            if self._depth > DEEPEST:
                raise self._bad("it is nested too deep")
            negated = self._comparison()
            self._depth -= 1
            return lambda scope: not _truth(negated(scope))
        left = self._sum()
        sign = self._take(*COMPARISONS)
        if not sign:
            return left
        right = self._sum()
        return lambda scope: _compare(sign, left(scope), right(scope))

    def _sum(self) -> Evaluate:
        found = self._product()
        while sign := self._take("+", "-"):
            found = _arithmetic(sign, found, self._product())
        return found

    def _product(self) -> Evaluate:
        found = self._factor()
        while sign := self._take("*", "/"):
            found = _arithmetic(sign, found, self._factor())
        return found

    def _factor(self) -> Evaluate:
        negative = bool(self._take("-"))
        found = self._atom()
        return _arithmetic("-", lambda scope: 0.0, found) if negative else found

    def _atom(self) -> Evaluate:
        if self._take("("):
            inner = self._either()
            self._need(")")
            return inner
        if self._next >= len(self._tokens):
            raise self._bad("it ends too early")
        kind, word = self._tokens[self._next]
        self._next += 1
        if kind == "number":
            number = _bounded(float(word))
            return lambda scope: number
        if kind == "text":
            return lambda scope: word
        if kind == "name":
            return self._call(word) if self._take("(") else lambda scope: _look_up(scope, word)
        raise self._bad(f"{word!r} stands where a value should")

    def _call(self, name: str) -> Evaluate:
        arguments = [] if self._take(")") else [self._either()]
        while arguments and self._take(","):
            arguments.append(self._either())
        if arguments:
            self._need(")")
        if name == "if":
            if len(arguments) != 3:
                raise self._bad("if() takes a condition, a value, and another value")
            condition, then, otherwise = arguments
            return lambda scope: then(scope) if _truth(condition(scope)) else otherwise(scope)
        return lambda scope: _apply(scope, name, [argument(scope) for argument in arguments])


def _look_up(scope: Scope, name: str) -> Term:
    if name not in scope.names:
        raise BadValue(f"no fact named {name!r} on this rig; `keen survey` lists them")
    value = scope.names[name]
    return value if isinstance(value, bool | int | float | str) else None


def _truth(value: Term) -> bool:
    return value is True


def _compare(sign: str, left: Term, right: Term) -> bool:
    if sign == "=":
        return left == right and isinstance(left, bool) == isinstance(right, bool)
    if sign == "<>":
        return left is not None and right is not None and not _compare("=", left, right)
    if not _is_number(left) or not _is_number(right):
        return False
    assert isinstance(left, int | float) and isinstance(right, int | float)
    return {"<": left < right, "<=": left <= right, ">": left > right, ">=": left >= right}[sign]


def _is_number(value: Term) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _number(value: Term) -> float:
    if not _is_number(value):
        raise BadValue(f"a formula calculates with numbers, and {value!r} is none")
    assert isinstance(value, int | float)
    return float(value)


def _bounded(value: float) -> float:
    if not math.isfinite(value) or abs(value) > LARGEST:
        raise BadValue(f"a formula comes to more than {LARGEST:g}, or to no number")
    return value


def _arithmetic(sign: str, left: Evaluate, right: Evaluate) -> Evaluate:
    def compute(scope: Scope) -> float:
        one, other = _number(left(scope)), _number(right(scope))
        if sign == "/" and other == 0:
            raise BadValue("a formula divides by nothing")
        return _bounded({"+": one + other, "-": one - other, "*": one * other, "/": one / (other or 1)}[sign])
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
    raise BadValue(f"no function {name}() of {len(arguments)} values; there are min, max, round and if")
