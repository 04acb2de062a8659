"""What the core offers says what it takes and gives: every public function has a docstring, and where arrays go in or out, their
shape."""

from __future__ import annotations

import ast
import re
from pathlib import Path

CORE = Path(__file__).parent.parent.parent / "grainpocket/core"
ARRAYS = re.compile(r"Samples|NDArray|ndarray|Spectrum|Mask\b|Table\b|Wave\b|Block\b")
# "(n, 2)", "(k,)", "(len, bins)": a shape; "the same shape".
SHAPE = re.compile(r"\(\w[\w *+/()-]*,[\w *+/,…()-]*\)|same shape|any shape")


def functions() -> list[tuple[str, ast.FunctionDef]]:
    out = []
    for path in sorted(CORE.rglob("*.py")):
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                out.append((f"{path.relative_to(CORE)}: {node.name}", node))
    return out


def test_every_public_function_says_what_it_does() -> None:
    known = functions()
    assert len(known) > 300
    assert [name for name, node in known if not ast.get_docstring(node)] == []


def test_arrays_have_their_shapes_told() -> None:
    silent = []
    for name, node in functions():
        notes = [a.annotation for a in (*node.args.args, *node.args.kwonlyargs)] + [node.returns]
        if any(note is not None and ARRAYS.search(ast.unparse(note)) for note in notes):
            if not SHAPE.search(ast.get_docstring(node) or ""):
                silent.append(name)
    assert silent == []
