"""Formulas: what they come to, against Python's own arithmetic; and what strangers may try."""

import math
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keenlattice.catalog.load import catalog
from keenlattice.errors import BadValue
from keenlattice.profile.concrete import concrete, concrete_value
from keenlattice.profile.formula import Scope, evaluate, parse
from keenlattice.profile.layers import resolve

FACTS = {"refresh_hz": 165, "ram_mib": 16384, "vram_mib": 8192, "cores": 8, "gpu": "Basalt 70", "laptop": False}


@pytest.mark.parametrize(("formula", "value"), [
    ("= refresh - 3", 162), ("=ram/2", 8192), ("= round(refresh - refresh * refresh / 3600)", 157),
    ("= if(vram >= 8192, 4096, 1024)", 4096), ('= if(gpu = "Basalt 70" and not laptop = 1, 1, 2)', 1),
    ("= min(cores, 4, 6) + max(1, 2)", 6), ("= -2 * -(3 - 5)", -4), ("= round(2.5)", 3), ("= round(-2.5)", -2),
    ("= 2 + 3 * 4 - 6 / 2", 11), ("= if(1 < 2 or nowhere = 1, 5, 6)", 5), ("= if(cores <> 8, 1, 0)", 0),
])
def test_what_a_formula_comes_to(formula: str, value: float) -> None:
    assert evaluate(formula, FACTS) == value


numbers = st.one_of(st.integers(0, 999).map(str), st.sampled_from(["refresh", "cores"]))
sums = st.recursive(numbers, lambda part: st.one_of(
    st.tuples(part, st.sampled_from("+-*/"), part).map(" ".join), part.map("({})".format), part.map("-({})".format)),
    max_leaves=12)


@given(sums)
def test_arithmetic_is_pythons(text: str) -> None:
    try:
        theirs = eval(text, {"__builtins__": {}}, {"refresh": 165, "cores": 8})
    except ZeroDivisionError:
        theirs = math.inf
    if abs(theirs) > 1e14:
        return
    try:
        assert evaluate(f"= {text}", FACTS) == pytest.approx(theirs)
    except BadValue as error:
        assert "more than" in str(error) or "nested too deep" in str(error) or "longer" in str(error)


@pytest.mark.parametrize("hostile", [
    "=", "= ", "= 2 ** 9", "= 9" + "9" * 300, "= 1e9", "= refresh.real", "= __import__(\"os\")", "= open(\"x\")",
    "= " + "(" * 200 + "1" + ")" * 200, "= " + "1+" * 5000 + "1", "= [1]", "= {1}", "= lambda: 1", "= 1;2", "= 'x'",
    "= \"x\" * 3", "= 1 / 0", "= refresh(1)", "= if(1, 2)", "= if(1 = 1, 2, 3", "= 999999999 * 999999999", "= \x00",
    "= " + "not " * 100 + "1", "= round(1, 2)", "= value(\"frame.cap\")", "= gpu", "= laptop", "= 1 2", "= nowhere",
    "= min()", "= -", "= " + "-" * 60 + "1", "= " + "min(" * 30 + "1" + ")" * 30,
    "= \N{SUPERSCRIPT TWO}", "= " + "if(1=1," * 60 + "1",
])
def test_what_is_no_number_is_refused_at_once(hostile: str) -> None:
    began = time.perf_counter()
    with pytest.raises(BadValue) as said:
        evaluate(hostile, FACTS)
    assert time.perf_counter() - began < 1
    assert len(str(said.value)) < 250 and "\n" not in str(said.value)


@given(st.text(max_size=60))
def test_any_text_is_a_formula_or_a_clear_refusal(text: str) -> None:
    try:
        parse(text)(Scope({"refresh": 165}))
    except BadValue as error:
        assert str(error)


def test_a_formula_stays_in_the_profile_and_fits_the_next_rig() -> None:
    entries = {"frame.cap": "= refresh - 3", "unknown.thing": "= refresh"}
    for refresh, cap in ((165, 162), (60, 57)):
        shown = resolve(catalog(), {}, entries, facts={"refresh_hz": refresh})["frame.cap"]
        assert (shown.stored, shown.value) == ("= refresh - 3", cap)
        assert concrete(catalog(), entries, {"refresh_hz": refresh}) == {"frame.cap": cap}
    nowhere = resolve(catalog(), {}, entries, facts={})["frame.cap"]
    assert nowhere.value is None and "no fact named 'refresh'" in nowhere.problem
    with pytest.raises(BadValue, match="gives 3300"):
        concrete_value(catalog()["frame.cap"], "= refresh * 20", FACTS)


def test_every_rule_of_the_trade_in_the_catalog_comes_to_something() -> None:
    suggested = [(one, suggestion) for one in catalog() for suggestion in one.suggest]
    assert len(suggested) >= 5
    for setting, suggestion in suggested:
        assert setting.checked(concrete_value(setting, suggestion.formula, FACTS))
