"""The examples that stand in docstrings of the core."""

import doctest
import importlib
import pkgutil

import pytest

from archgate import core

MODULES = sorted(m.name for m in pkgutil.iter_modules(core.__path__))
SHOWN = {"money", "plans", "taxes", "schedule", "refunds", "typed", "waitlist"}


@pytest.mark.parametrize("name", MODULES)
def test_the_examples_of_a_module_are_true(name):
    failed, tried = doctest.testmod(importlib.import_module(f"archgate.core.{name}"))
    assert failed == 0
    assert tried or name not in SHOWN
