"""What the repository says of itself: no module needs too many others, and the documents name only what is there."""

import re
from pathlib import Path

import grimp
import pytest

from tests import ROOT

DOCUMENTS = [*ROOT.glob("*.md"), *ROOT.glob("docs/*.md")]
# The packages documents write without `plentar/` in front.
PACKAGES = ("core", "web", "store", "screen", "formats", "devices", "words", "demo")
MOST_IMPORTS = 30
# The command line and the application factory name every command and every place.
ALLOWED = {"plentar.cli.running": 35, "plentar.web": 33}


def test_no_module_needs_more_than_thirty_others() -> None:
    """A module that needs everything has no subject of its own."""
    graph = grimp.build_graph("plentar", cache_dir=None)
    counts = {module: len(graph.find_modules_directly_imported_by(module)) for module in graph.modules}
    over = {name: count for name, count in counts.items() if count > ALLOWED.get(name, MOST_IMPORTS)}
    assert over == {}


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_a_document_names_only_files_that_are_there(path: Path) -> None:
    """Every path in backticks, with or without the package's name in front, and every link."""
    text = path.read_text()
    missing = [link for link in re.findall(r"\]\(([^)#:]+)\)", text) if not (path.parent / link).exists()]
    for name in re.findall(r"`((?:plentar|tests|bench|script|docs|assets|requirements)/[\w./-]+)`", text):
        missing += [] if is_there(name) else [name]
    for name in re.findall(rf"`((?:{'|'.join(PACKAGES)})/[\w./-]+)`", text):
        missing += [] if is_there(f"plentar/{name}") else [name]
    assert missing == []


def is_there(name: str) -> bool:
    """True for a file or folder, a module without its ending, and something a module defines behind a dot."""
    path = ROOT / name
    if path.exists() or path.with_name(f"{path.name}.py").exists():
        return True
    module, _, what = path.name.rpartition(".")
    source = path.with_name(f"{module}.py")
    if not source.exists():
        source = path.with_name(module) / "__init__.py"
    return source.exists() and re.search(rf"\b{re.escape(what)}\b", source.read_text()) is not None
