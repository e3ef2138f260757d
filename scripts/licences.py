"""Write src/openstake/licences.json: what is shipped with the program, from the lock files, with the licences that packages name."""

import importlib.metadata
import json
import re
from pathlib import Path

from packaging.requirements import Requirement

ROOT = Path(__file__).parent.parent
TARGET = ROOT / "src" / "openstake" / "licences.json"
# Classifiers' words, and those that some packages use in place of an identifier (SPDX).
SPDX = {
    "Apache Software License": "Apache-2.0",
    "BSD License": "BSD",
    "MIT License": "MIT",
    "BSD": "BSD",
    "PSFL": "PSF-2.0",
    "Mozilla Public License 2.0 (MPL 2.0)": "MPL-2.0",
    "Python Software Foundation License": "PSF-2.0",
    "GNU Lesser General Public License v3 or later (LGPLv3+)": "LGPL-3.0-or-later",
}
GRIDS = [{"part": "geoid grid", "name": "EGM96, 15 minutes", "version": "1998", "licence": "public domain (NASA and NIMA)"}]


def python_packages():
    """Return the libraries that the program runs with, each as requirements.lock pins it."""
    pins = dict(re.findall(r"^([a-z0-9.-]+)==(\S+)", (ROOT / "requirements.lock").read_text(), re.M))
    names, todo = set(), ["openstake"]
    while todo:
        for text in importlib.metadata.requires(todo.pop()) or []:
            wish = Requirement(text)
            name = re.sub(r"[-_.]+", "-", wish.name).lower()
            if name in names or (wish.marker and not wish.marker.evaluate({"extra": ""})):
                continue
            names.add(name)
            todo.append(name)
    return [{"part": "library", "name": name, "version": pins[name], "licence": licence_of(name)} for name in sorted(names)]


def licence_of(name):
    about = importlib.metadata.metadata(name)
    if expression := about.get("License-Expression"):
        return expression
    words = [item.split("::")[-1].strip() for item in about.get_all("Classifier") or [] if item.startswith("License")]
    word = words[0] if words else (about.get("License") or "").strip().splitlines()[0]
    if not word:
        raise SystemExit(f"{name} names no licence: look at it, and say here what it is.")
    return SPDX.get(word, word)


def web_packages():
    """Return the libraries and fonts of the pages, each as package-lock.json pins it."""
    packages = json.loads((ROOT / "web" / "package-lock.json").read_text())["packages"]
    return [
        {
            "part": "font" if "font" in path else "page library",
            "name": path.rpartition("node_modules/")[2],
            "version": item["version"],
            "licence": item["license"],
        }
        for path, item in sorted(packages.items())
        if path and not item.get("dev") and not item.get("devOptional") and not item.get("optional")
    ]


def licences_text():
    items = [*python_packages(), *web_packages(), *GRIDS]
    return json.dumps(items, indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    TARGET.write_text(licences_text())
