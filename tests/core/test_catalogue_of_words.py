"""Reasons and words: every reason has its words in the catalogue, and no sentence stands outside it."""

import ast
import re
import string
from collections.abc import Iterator
from pathlib import Path

import pytest

from plentar.core.causes.faults import COMPLAINTS, MODES
from plentar.core.message import joined, message
from plentar.core.work.customer import OF_STRIPS, SENTENCES
from plentar.words import ENGLISH, Catalogue, render
from tests import ROOT

CORE = sorted((ROOT / "plentar/core").rglob("*.py"))
REASON = re.compile(r"[a-z_-]+(\.[a-z0-9_-]+)+")
# What is spelled in a file, a form or a dial, and never read as a sentence: states, kinds, complaints, schools, marks.
IDS = re.compile(
    r"from unit|separate source|proven dead|not proven|at rest|low impedance|now and then|as found|coil [12]|n[co] \w+|"
    r"\w+ first|outdoor thermostat|(dead|wrong) terminal|W and G|House clamp meter|shop rule"
)


def sources() -> Iterator[tuple[Path, ast.Module]]:
    """The core's files."""
    for path in CORE:
        yield path, ast.parse(path.read_text())


def spoken_ids() -> Iterator[tuple[str, bool]]:
    """Each reason that is spelled in the core, and whether it is the beginning of one that is put together."""
    for _, tree in sources():
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and REASON.fullmatch(node.value):
                yield node.value, False
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "message":
                for made in (part for part in ast.walk(node.args[0]) if isinstance(part, ast.JoinedStr)):
                    yield ast.literal_eval(made.values[0]), True


def figures_of(template: str) -> set[str]:
    """The figures a template names."""
    return {name for _, name, _, _ in string.Formatter().parse(template) if name}


def test_no_words_are_left_that_nobody_says() -> None:
    """An entry that no reason leads to is gone from the catalogue."""
    whole = {name for name, is_head in spoken_ids() if not is_head}
    heads = tuple(name for name, is_head in spoken_ids() if is_head)
    assert sorted(name for name, _ in ENGLISH.templates if name not in whole and not name.startswith(heads)) == []


def test_every_way_to_fail_has_its_words() -> None:
    """A title, a repair and a proof for each mode, and none left over."""
    wanted = {f"fault.{mode.id}" for mode in MODES.values()}
    wanted |= {f"repair.{mode.repair}" for mode in MODES.values()} | {f"proof.{mode.proof}" for mode in MODES.values()}
    apart = {"fault.healthy", "repair.none", "proof.all-strips-on-and-off"}
    told = {name for name, _ in ENGLISH.templates if name.startswith(("fault.", "repair.", "proof."))}
    assert told & wanted == wanted
    spelled = {name for name, _ in spoken_ids()}
    assert told - wanted - apart - spelled == set()


def test_every_reason_has_its_words_and_its_figures() -> None:
    """Each `message` of the core: its id is in the catalogue, and its figures are the ones the words name."""
    wrong = []
    for path, tree in sources():
        for node in ast.walk(tree):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "message"):
                continue
            first = node.args[0]
            if not isinstance(first, ast.Constant) or path.name == "message.py":
                continue
            reason = str(first.value)
            template = ENGLISH.templates.get((reason, ""))
            words = template if isinstance(template, str) else (template or ("",))[-1]
            if template is None or figures_of(words) - {k.arg for k in node.keywords}:
                wrong.append(f"{path.name}:{node.lineno} {reason}")
    assert wrong == []


def sentences(tree: ast.Module) -> Iterator[ast.expr]:
    """Text of more than one word, but for docstrings, errors (which name a field and what came) and type comments."""
    left = {id(node.exc): node for node in ast.walk(tree) if isinstance(node, ast.Raise)}
    apart = {id(n) for node in left.values() for n in ast.walk(node)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr | ast.Subscript):
            apart |= {id(n) for n in ast.walk(node.value if isinstance(node, ast.Expr) else node.slice)}
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id.startswith("_require"):
            apart |= {id(n) for n in ast.walk(node)}
        if isinstance(node, ast.JoinedStr):
            apart |= {id(n) for n in node.values}
        for note in (getattr(node, "annotation", None), getattr(node, "returns", None)):
            apart |= {id(n) for n in ast.walk(note)} if isinstance(note, ast.AST) else set()
        if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name) and node.targets[0].id == "Figure":
            apart |= {id(n) for n in ast.walk(node.value)}
    for node in ast.walk(tree):
        if id(node) in apart:
            continue
        if isinstance(node, ast.JoinedStr):
            text = "".join(str(part.value) for part in node.values if isinstance(part, ast.Constant))
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        else:
            continue
        is_kind = (f"kind-of-verdict.{text.replace(' ', '-')}", "") in ENGLISH.templates
        if " " in text.strip() and not IDS.fullmatch(text.strip()) and not is_kind and text not in COMPLAINTS:
            yield node


# An error's words name the field, what was expected and what came; a pattern's names are an example's, as are what the
# customers of the ladder's made-up calls say.
DATA = {"errors.py", "patterns.py", "intake.py", "events.py", "nameplate.py", "ladder.py"}


@pytest.mark.parametrize("path", [path for path in CORE if path.name not in DATA], ids=lambda path: path.stem)
def test_no_sentence_stands_outside_the_catalogue(path: Path) -> None:
    """Whoever adds one in the core's code is told where."""
    found = [f"{node.lineno}: {ast.unparse(node)[:70]}" for node in sentences(ast.parse(path.read_text()))]
    assert found == []


def test_a_second_language_is_one_catalogue() -> None:
    """Its own order of figures, its own plural, a reader's own words, what is said within what is said."""
    other = Catalogue(
        b'msgid ""\nmsgstr "Plural-Forms: nplurals=2; plural=(n > 1);\\n"\n'
        b'msgid "strips.sum-of-strips"\nmsgstr "{total_amps:.0f} A en tout"\n'
        b'msgid "places.drive-of"\nmsgstr "{drive!c} de {device}"\n'
        b'msgid "drive.coil"\nmsgstr "bobine"\n'
        b'msgctxt "customer"\nmsgid "drive.coil"\nmsgstr "commande"\n'
        b'msgid "found"\nmsgid_plural "found"\nmsgstr[0] "{count} cas"\nmsgstr[1] "{count} cas divers"\n'
        b'msgid "list.and"\nmsgstr "{items:and}"\n'
    )
    coil = message("places.drive-of", device="Seq A", drive=message("drive.coil"))
    assert render(coil) == "Seq A coil"
    assert other.render(coil) == "Bobine de Seq A"
    assert other.render(coil, "customer") == "Commande de Seq A"
    assert other.render(message("strips.sum-of-strips", total_amps=41.6)) == "42 A en tout"
    assert [other.render(message("found", count=count)) for count in (1, 2)] == ["1 cas", "2 cas divers"]
    assert other.render(joined([])) == ""


def test_a_reason_is_never_read_by_mistake() -> None:
    """Put into a text unsaid it refuses, so that no id reaches a person; and what has no words is an error at once."""
    with pytest.raises(TypeError, match=r"plentar\.words"):
        f"{message('drive.coil')}"
    with pytest.raises(KeyError, match="nobody-says-this"):
        render(message("nobody-says-this"))


def sentences_of(text: str) -> list[str]:
    """The sentences of a template, each figure in it one word."""
    return [one for one in re.split(r"(?<=[.?!])\s+", re.sub(r"\{[^}]*\}", "two", text)) if one]


def school_grade(text: str) -> float:
    """The Flesch-Kincaid grade: 0.39 words a sentence + 11.8 syllables a word - 15.59 (Kincaid and others, 1975)."""
    words = re.findall(r"[A-Za-z']+", text)
    # A syllable is a run of vowels, a last silent e left out.
    syllables = sum(max(1, len(re.findall(r"[aeiouy]+", re.sub(r"e$", "", word.lower())))) for word in words)
    return 0.39 * len(words) / len(sentences_of(text)) + 11.8 * syllables / len(words) - 15.59


def texts() -> Iterator[tuple[str, str, str]]:
    """Every sentence the catalogue has, with its id and its reader."""
    for (name, reader), template in ENGLISH.templates.items():
        for text in (template,) if isinstance(template, str) else template:
            yield name, reader, text


def test_no_sentence_is_longer_than_22_words() -> None:
    """What a technician reads with gloves on, and everybody else."""
    assert [(name, one) for name, _, text in texts() for one in sentences_of(text) if len(one.split()) > 22] == []


def test_what_a_customer_reads_is_of_the_eighth_grade_at_most() -> None:
    """Each sentence about a fault, by the usual measure."""
    told = [text for name, reader, text in texts() if reader == "customer" or name.startswith("customer.")]
    long = [(round(school_grade(text), 1), text) for text in told if len(text.split()) > 3]
    assert len(long) > 10
    assert [entry for entry in long if entry[0] > 8.0] == []


def test_every_way_to_fail_has_a_sentence_for_the_customer() -> None:
    """No fault reaches the customer's page by its trade name alone, and none by a sentence one has to read twice."""
    assert set(SENTENCES) == set(MODES)
    names = set(SENTENCES.values())
    words = {name: render(message(name, count=3) if name in OF_STRIPS else message(name)) for name in names}
    assert {name for name, text in words.items() if max(len(part.split()) for part in text.split(". ")) > 22} == set()
