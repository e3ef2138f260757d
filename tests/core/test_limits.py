"""All limits of rules stand on one page: no rule keeps one of its own."""

import ast
from pathlib import Path

CORE = Path(__file__).parents[2] / "src/openstake/core"
# What is no limit: a factor between units, the one value of a GGA field that a rule is about, names, a pole of the
# Earth, and from where on kilometres are written.
NO_LIMITS = {"_FOOT_M", "_MANUAL", "COMMON_PRACTICE", "MIXED_HEIGHTS", "CAUSES_BY", "EXPECTED_CONSTELLATIONS", 0.0, 90.0, 10_000.0}


def numbers(path):
    for node in ast.parse(path.read_text()).body:
        targets = node.targets if isinstance(node, ast.Assign) else [node.target] if isinstance(node, ast.AnnAssign) else []
        if targets and isinstance(node.value, ast.Constant | ast.UnaryOp | ast.BinOp | ast.Subscript | ast.Tuple):
            names = [name for target in targets for name in ast.walk(target) if isinstance(name, ast.Name)]
            yield from (name.id for name in names if name.id.isupper())


def literals(path):
    """Yield the fractions that a comparison is made with: a limit without a name."""
    for node in ast.walk(ast.parse(path.read_text())):
        for side in node.comparators if isinstance(node, ast.Compare) else ():
            if isinstance(side, ast.Constant) and isinstance(side.value, float) and side.value not in NO_LIMITS:
                yield side.value


def test_no_rule_keeps_a_limit_of_its_own():
    found = {f"{path.name}: {name}" for path in (CORE / "judge").glob("*.py") for name in numbers(path) if name not in NO_LIMITS}

    assert found == set()


def test_no_rule_compares_with_a_number_that_has_no_name():
    found = {f"{path.name}: {value}" for path in (CORE / "judge").glob("*.py") for value in literals(path)}

    assert found == set()
