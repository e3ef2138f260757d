"""All limits of rules stand on one page: no rule keeps one of its own."""

import ast
from pathlib import Path

CORE = Path(__file__).parents[2] / "src/openstake/core"
# What is no limit: factors between units, and the one value of a GGA field that a rule is about.
NO_LIMITS = {"_FOOT_M", "_MANUAL"}


def numbers(path):
    for node in ast.parse(path.read_text()).body:
        targets = (
            node.targets if isinstance(node, ast.Assign) else [node.target] if isinstance(node, ast.AnnAssign) else []
        )
        if targets and isinstance(node.value, ast.Constant | ast.UnaryOp | ast.BinOp | ast.Subscript):
            yield from (target.id for target in targets if isinstance(target, ast.Name) and target.id.isupper())


def test_no_rule_keeps_a_limit_of_its_own():
    found = {
        f"{path.name}: {name}"
        for path in (CORE / "judge").glob("*.py")
        for name in numbers(path)
        if name not in NO_LIMITS
    }

    assert found - {"finding.py: COMMON_PRACTICE"} == set()
