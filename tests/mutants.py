"""Mutation testing of the rules: mutmut breaks the core in small ways, one at a time, and the tests should notice.

`./archgate mutants [COUNT]` takes so many mutants (500) of the modules below by a fixed seed, runs the tests that walk
through each, and prints how many of 100 were noticed and the change of every one that was not. Changes of texts are left
out: a sentence that reads otherwise breaks no rule. It works on a copy in var/mutants and takes minutes; no other check
waits for it.
"""

from __future__ import annotations

import ast
import json
import random
import re
import shutil
import subprocess
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
WORK = ROOT / "var" / "mutants"
MODULES = ("money", "plans", "fees", "taxes", "refunds", "seats", "waitlist", "schedule")
TESTS = (
    "tests/core", "tests/reference/test_money.py", "tests/reference/test_taxes.py", "tests/reference/test_month_ends.py",
    "tests/reference/test_rfc5545.py", "tests/reference/test_holidays.py", "tests/reference/test_binomial.py",
)  # fmt: skip
SEED = 20261127
CONFIG = f"""
[tool.pytest.ini_options]
pythonpath = ["tests"]
addopts = "-q --strict-markers --import-mode=importlib -p no:cacheprovider"
markers = ["screens: walks in a headless browser"]

[tool.mutmut]
source_paths = ["archgate"]
only_mutate = {json.dumps([f"archgate/core/{name}.py" for name in MODULES])}
also_copy = ["tests"]
pytest_add_cli_args_test_selection = {json.dumps(TESTS)}
pytest_add_cli_args = ["-n0"]
use_git_change_detection = false
"""
KILLED = {
    1: "noticed",
    3: "noticed",
    0: "survived",
    33: "no test",
    5: "no test",
    36: "too slow",
    24: "too slow",
}


def mutmut(*words: str) -> None:
    """Run it; what it says stands in var/mutants/said."""
    with (WORK / "said").open("a") as said:
        done = subprocess.run(
            [sys.executable, "-m", "mutmut", "run", *words], cwd=WORK, stdout=said, stderr=subprocess.STDOUT
        )
    if done.returncode != 0:
        sys.exit(f"mutmut ended with {done.returncode}; what it said is in {WORK}/said.")


def results() -> dict[str, int | None]:
    """Every mutant with the exit code of its tests, as far as they were run."""
    found: dict[str, int | None] = {}
    for name in MODULES:
        found |= json.loads((WORK / f"mutants/archgate/core/{name}.py.meta").read_text())["exit_code_by_key"]
    return found


class Bare(ast.NodeTransformer):
    """Leaves out what is text."""

    def visit_Constant(self, node: ast.Constant) -> ast.Constant:
        return ast.Constant("") if isinstance(node.value, str) else node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.name = ""
        return self.generic_visit(node)


def functions_of(module: str) -> dict[str, ast.FunctionDef]:
    tree = ast.parse((WORK / f"mutants/archgate/core/{module}.py").read_text())
    return {node.name: node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)}


def sources() -> dict[str, tuple[str, str]]:
    """Every mutant that changes more than a text, with its function before and after."""
    found = {}
    for module in MODULES:
        functions = functions_of(module)
        for name, node in functions.items():
            if not re.search(r"__mutmut_\d+$", name):
                continue
            origin = functions[re.sub(r"\d+$", "orig", name)]
            texts = ast.unparse(origin), ast.unparse(node)
            bare = [ast.dump(Bare().visit(ast.parse(text))) for text in texts]
            if bare[0] != bare[1]:
                found[f"archgate.core.{module}.{name}"] = texts
    return found


def changed_lines(before: str, after: str) -> str:
    """What a mutant changed, as lines."""
    first, second = before.splitlines()[1:], after.splitlines()[1:]
    out = [f"  - {x.strip()}\n  + {y.strip()}" for x, y in zip(first, second, strict=False) if x != y]
    return "\n".join(out[:2])


def main(count: int) -> int:
    shutil.rmtree(WORK, ignore_errors=True)
    WORK.mkdir(parents=True)
    leave = shutil.ignore_patterns("__pycache__")
    shutil.copytree(ROOT / "server/archgate", WORK / "archgate", ignore=leave)
    shutil.copytree(ROOT / "tests", WORK / "tests", ignore=leave)
    (WORK / "pyproject.toml").write_text(CONFIG)
    mutmut("archgate.core.money.x_*__mutmut_1")  # makes all of them, and finds which tests walk where
    texts = sources()
    names = sorted(texts)
    chosen = sorted(random.Random(SEED).sample(names, min(count, len(names))))
    mutmut(*chosen)
    codes = results()
    said = {name: KILLED.get(codes[name] or 0, f"exit {codes[name]}") for name in chosen}
    for name in chosen:
        if said[name] != "noticed":
            print(f"{said[name]}: {name}\n{changed_lines(*texts[name])}")
    counts = Counter(said.values())
    noticed = counts["noticed"] + counts["too slow"]
    print(
        f"{len(names)} mutants, {len(chosen)} tried: {dict(counts)}; {100 * noticed / len(chosen):.1f} of 100 noticed"
    )
    return 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 500))
