"""Checks the words that the window shows, and how docstrings begin. `make lint` runs it.

    .venv/bin/python scripts/check_words.py

A label that was given up must not come back, one thing has one word, and no shown text names a source. Docstrings and
comments speak of classes, functions and files that are there.
"""

import ast
import builtins
import io
import re
import sys
import tokenize
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "mat_shelf"
OPEN_FORMATS = {"OpenRaster"}
"""Names that are written as classes are, and are none."""
GIVEN_UP = (
    r"[Cc]halkiness",
    r"[Cc]loudiness",
    r"Inner forward",
    r"[Cc]olour reach",
    r"Edge tint",
    r"Black at|White at|Few tones|Sharpen to lines",
    r"\bLies\b|Lie so|Move it\b|Seam away",
    r"(?<![-t] )(?<!-)\b[Ss]hel(?:f|ves)\b",
    r"\b[Ll]oupe\b|\b[Hh]ero\b",
    r"\bReadings\b",
    r"\b[Tt]hr(?:ow|own|ows) (?:it )?(?:out|away)\b|[Tt]ake (?:it )?out\b|Leave it",
    r"\b[Pp]ieces?\b",
    r"\b[Rr]oom pictures?\b|Room above|Room below",
    r"\bart\b|\bArt\b",
    r"\btune[ds]?\b",
    r"^bare$|\bbare (?:face|part)s?\b",
)
"""Words of old labels, as regular expressions over shown text."""
SOURCES = (
    r"from memory|common practice|[Hh]andbook",
    r"Schott|SCHOTT|Palik|Johnson|Rakic|Pope and Fry",
    r"\bNumba\b|[Mm]itsuba|OpenImage|\btrimesh\b|\bxatlas\b",
)
"""Makers, handbooks, scientists and libraries, which belong to docstrings and docs/sources.md."""
OPENING = re.compile(r"(?:What|Whether|Where|How|When) ")


def shown_texts(nodes: list[ast.AST]) -> list[tuple[int, str]]:
    """Lines and texts of the strings that are sentences or labels: not docstrings, names, keys or patterns."""
    docs, inside = set(), set()
    for node in nodes:
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            docs |= {id(n.value) for n in node.body if isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant)}
        if isinstance(node, ast.Call) and getattr(node.func, "id", None) == "namedtuple":
            inside |= {id(n) for n in ast.walk(node)}
    texts = []
    for node in nodes:
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and not {id(node)} & (docs | inside):
            text = node.value
            sentence = re.search(r"[A-Z].*[a-z]|[a-z] [a-z]", text) and not re.fullmatch(r"[\w./*#-]+", text)
            if sentence or re.fullmatch(r"[A-Z][a-z]+", text):
                texts.append((node.lineno, text))
    return texts


def stale_names() -> list[str]:
    """Classes, `names` and files that a docstring or a comment speaks of and nothing in the source is called."""
    known = {path.name for path in SOURCE.rglob("*.py")} | {path.stem for path in SOURCE.rglob("*.py")}
    spoken = []
    for path in sorted(SOURCE.rglob("*.py")):
        for token in tokenize.generate_tokens(io.StringIO(path.read_text("utf-8")).readline):
            if token.type == tokenize.NAME:
                known.add(token.string)
            elif token.type == tokenize.COMMENT or token.string.startswith(('"""', 'r"""')):
                named = re.findall(r"\b(?:[A-Z][a-z]+){2,}\b|\b[a-z_]+\.py\b|(?<!`)`[a-z_][\w.]*`(?!`)", token.string)
                spoken += [(f"{path.relative_to(SOURCE.parents[1])}:{token.start[0]}", name) for name in named]
    known |= set(vars(builtins)) | OPEN_FORMATS
    return [
        f"{place}: '{name}' is not there"
        for place, name in spoken
        if name.strip("`") not in known and name.strip("`").split(".")[-1] not in known
    ]


def main() -> int:
    faults = stale_names()
    for path in sorted(SOURCE.rglob("*.py")):
        nodes, name = list(ast.walk(ast.parse(path.read_text("utf-8")))), path.relative_to(SOURCE.parents[1])
        for line, text in shown_texts(nodes):
            for words in (*GIVEN_UP, *SOURCES):
                found = re.search(words, text)
                if found:
                    faults.append(f"{name}:{line}: '{found[0]}' in {text[:90]!r}")
        for node in nodes:
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef):
                words = ast.get_docstring(node) or ""
                if OPENING.match(words):
                    faults.append(f"{name}:{getattr(node, 'lineno', 1)}: a docstring begins with '{words.split()[0]}'")
    for path in sorted(SOURCE.rglob("data/*/*.json")):
        for words in (*GIVEN_UP, *SOURCES):
            for text in re.findall(r'"(?:name|note)": "([^"]*)"', path.read_text("utf-8")):
                if found := re.search(words, text):
                    faults.append(f"{path.relative_to(SOURCE.parents[1])}: '{found[0]}'")
    print(*faults, sep="\n")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
