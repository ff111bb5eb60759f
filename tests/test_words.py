"""Words that were given up for plain ones come back nowhere: in pages, sentences, the
catalogue or the documents.
"""

import ast
import re
import tomllib
from pathlib import Path

import pytest
from plain_words import given_up

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "brood"
TEMPLATE_WORDS = re.compile(
    r"\{#.*?#\}|<svg.*?</svg>|</?[a-z][^<>]*?(?=\baria-label=|>)|>", re.DOTALL
)


def templates():
    """The words of every template, and of the sentences within its tags."""
    for path in sorted((SOURCE / "web" / "templates").rglob("*.html")):
        text = path.read_text("utf-8")
        text = re.sub(r'(href|hx-\w+|action|class|name|id|for|src)="[^"]*"', " ", text)
        text = re.sub(
            r"\{%-? *(include|import|from|extends|set|block)\b.*?%\}", " ", text, flags=re.S
        )
        text = re.sub(r"\{\{[^\"{}]*\}\}|\{%[^\"]*?%\}", " ", text)
        yield path.relative_to(SOURCE), re.sub(r"\s+", " ", TEMPLATE_WORDS.sub(" ", text))


def sentences():
    """The literals of every module that a reader may meet."""
    for path in sorted(SOURCE.rglob("*.py")):
        tree = ast.parse(path.read_text("utf-8"))
        docs = {
            id(body[0].value)
            for node in ast.walk(tree)
            if isinstance(body := getattr(node, "body", None), list)
            and body
            and isinstance(body[0], ast.Expr)
        } | {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        words = [
            node.value
            for node in ast.walk(tree)
            if isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and " " in node.value
            and id(node) not in docs
        ]
        yield path.relative_to(SOURCE), " | ".join(words)


def catalogue():
    """The sentences of the catalogue."""
    for path in sorted((SOURCE / "catalogue" / "data").rglob("*.toml")):
        yield path.relative_to(SOURCE), " | ".join(_texts(tomllib.loads(path.read_text("utf-8"))))


def _texts(held):
    if isinstance(held, dict):
        return [t for name, value in held.items() if name != "source" for t in _texts(value)]
    if isinstance(held, list):
        return [t for value in held for t in _texts(value)]
    return [held] if isinstance(held, str) else []


def documents():
    """What a reader of the documents meets; the names of the code are their own."""
    for path in [ROOT / "README.md", ROOT / "docs" / "screens.md", ROOT / "docs" / "cli.md"]:
        text = re.sub(r"```.*?```|`[^`]*`|\]\([^)]*\)", " ", path.read_text("utf-8"), flags=re.S)
        yield path.relative_to(ROOT), re.sub(r"\s+", " ", text)


@pytest.mark.parametrize("source", [templates, sentences, catalogue, documents])
def test_no_word_that_was_given_up_comes_back(source):
    faults = [f"{path}: {said}" for path, text in source() for said in given_up(text)]
    assert not faults, "\n".join(faults)
