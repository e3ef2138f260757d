"""The same workflow and core from a terminal.  Exit 0: computed, findings included; 2: input unusable, with a sentence."""

from __future__ import annotations

import ast
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict, is_dataclass
from importlib import import_module
from pathlib import Path
from textwrap import shorten
from typing import Any

import click

from openstake import __version__
from openstake.core.errors import OpenStakeError
from openstake.core.judge.finding import Finding

# Each verb and the module of this package that holds it: loaded when it is called, so that `openstake log` does not wait
# for the web application to be imported.
VERBS = {
    "agree": "link",
    "airload": "link",
    "backup": "backup",
    "book": "book",
    "budget": "budget",
    "demo": "demo",
    "fit": "fit",
    "height": "height",
    "iso17123": "check",
    "length": "length",
    "listen": "listen",
    "log": "captures",
    "occupation": "occupation",
    "package": "package",
    "profile": "profile",
    "report": "report",
    "reseat": "check",
    "restore": "backup",
    "rinex": "rawdata",
    "serve": "serve",
    "single": "rawdata",
    "sky": "sky",
    "standin": "standin",
    "stream": "captures",
    "unpack": "package",
}


class Verbs(click.Group):
    """Loads verbs when they are called, and maps the one error tree to an exit code: the sentence on stderr and 2."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(VERBS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in VERBS:
            return None
        command: click.Command = getattr(import_module(f"{__name__}.{VERBS[cmd_name]}"), cmd_name)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the verbs without importing what each of them needs: their first sentences stand in the sources."""
        with formatter.section("Commands"):
            limit = formatter.width - 6 - max(map(len, VERBS))
            formatter.write_dl([(verb, _first_sentence(verb, limit)) for verb in VERBS])

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except OpenStakeError as error:
            say(error.sentence)
            ctx.exit(2)
        except BrokenPipeError:
            sys.stderr.close()
            ctx.exit(0)
        except OSError as error:
            say(f"A file cannot be read or written: {error.strerror or error}.")
            ctx.exit(2)
        except (ArithmeticError, ValueError, LookupError, TypeError, RecursionError, MemoryError) as error:
            # The last door: readers refuse by themselves.  What comes here is a value nobody thought of.
            say(f"The input holds a value that cannot be used ({type(error).__name__}: {str(error)[:200]}).")
            ctx.exit(2)
        except Exception as error:
            # By its module's name: most verbs need no database, and wait for none to be imported.
            if type(error).__module__.partition(".")[0] not in ("sqlalchemy", "sqlite3"):
                raise
            said = str(getattr(error, "orig", None) or error)[:200]
            say(f"The database of the data folder cannot be used: {said}. Nothing was changed.")
            ctx.exit(2)


def _first_sentence(verb: str, limit: int) -> str:
    """Return what a verb does, short, out of its docstring; its module is read and not run."""
    source = Path(__file__).with_name(f"{VERBS[verb]}.py").read_text(encoding="utf-8")
    functions = (node for node in ast.parse(source).body if isinstance(node, ast.FunctionDef))
    words = next(ast.get_docstring(node) or "" for node in functions if node.name == verb)
    return shorten(words.partition("\n\n")[0], limit, placeholder=" ...")


def say(sentence: str) -> None:
    """Write a sentence to stderr, whatever the name of a file in it is made of."""
    click.echo(sentence.encode("utf-8", "replace").decode(), err=True)


def show(result: Any, as_json: bool, lines: list[str]) -> None:
    """Print a dataclass (or a mapping) as one JSON object, or lines for people."""
    if as_json:
        document = asdict(result) if is_dataclass(result) and not isinstance(result, type) else result
        click.echo(json.dumps(document, ensure_ascii=False, allow_nan=False))
    else:
        click.echo("\n".join(lines))


def finding_lines(findings: Sequence[Finding]) -> list[str]:
    """Return findings for people: what, why, what next."""
    out = []
    for item in findings:
        out += ["", f"[{item.severity}] {item.sentence}  ({item.code})"]
        out += [f"  Likely: {item.cause}", f"  Next:   {item.action}", f"  Source: {item.source}"]
    return out


@click.group(cls=Verbs, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="openstake")
def main() -> None:
    """Open Stake: a GNSS base and rover job, from the mark to the signed-off book."""
