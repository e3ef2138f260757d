"""Count the tokens of the Python source, without comments, docstrings and other strings, by part: `python scripts/tokens.py [folder]`."""

import io
import itertools
import sys
import tokenize
from collections import Counter
from pathlib import Path

IGNORED = {
    tokenize.COMMENT,
    tokenize.STRING,
    tokenize.NL,
    tokenize.NEWLINE,
    tokenize.INDENT,
    tokenize.DEDENT,
    tokenize.ENCODING,
    tokenize.ENDMARKER,
}


def tokens(text: str) -> int:
    """Return how many tokens a source has; a trailing comma, which the formatter puts or takes, is none."""
    found = [item for item in tokenize.generate_tokens(io.StringIO(text).readline) if item.type not in IGNORED]
    commas = sum(one.string == "," and after.string in ")]}" for one, after in itertools.pairwise(found))
    return len(found) - commas


def main(folder: Path) -> None:
    parts: Counter[str] = Counter()
    for path in sorted(folder.rglob("*.py")):
        parts[path.relative_to(folder).parts[0].removesuffix(".py")] += tokens(path.read_text(encoding="utf-8"))
    for part, count in parts.most_common():
        print(f"{count:8d} {part}")
    print(f"{parts.total():8d} in all")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parents[1] / "src" / "openstake")
