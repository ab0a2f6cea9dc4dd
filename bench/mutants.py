"""Whether the tests would notice: small faults put into core one by one, and the tests that run the changed line asked.

    python -m bench.mutants [--count 300] [--seed 1] [--skip 0] [--only PART] [--again FILE]

The faults are of fixed kinds (`_changes`), drawn by the seed from all places in `core`. First the covering tests of every line are found
by one run of tests/core and tests/formats with coverage's contexts; then each fault is put into a copy of the package and its tests are run,
the quickest first, until one fails. What no test notices is a survivor: a test is lacking, or the change makes no difference.
Written as it goes to build/mutants.txt; --again asks only about the survivors of an earlier file.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CORE = ROOT / "src" / "umbrak" / "core"
OUT = ROOT / "build"
TESTS = ("tests/core", "tests/formats")
#: A fault whose tests run this long is a fault that makes something endless: noticed. [s]
LONG = 240.0
_COMPARE = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "==", ast.Is: "is not", ast.IsNot: "is", ast.In: "not in", ast.NotIn: "in"}  # fmt: skip
_BINARY = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.FloorDiv: "*", ast.BitAnd: "|", ast.BitOr: "&"}
_CALLS = {"min": "max", "max": "min", "any": "all", "all": "any"}


@dataclass(frozen=True)
class Mutant:
    file: str
    line: int
    #: Bytes of the file that are replaced, and by what.
    begin: int
    end: int
    new: str
    kind: str

    def words(self) -> str:
        source = (CORE / self.file).read_bytes()
        return f"{self.file}:{self.line}: {self.kind}: {source[self.begin : self.end].decode()!r} -> {self.new!r}"


def mutants() -> list[Mutant]:
    """Every fault of the fixed kinds that can be put into core."""
    found = []
    for path in sorted(CORE.rglob("*.py")):
        raw = path.read_bytes()
        starts = [0]
        for line in raw.splitlines(keepends=True):
            starts.append(starts[-1] + len(line))
        for node, begin, end, new, kind in _changes(ast.parse(raw), raw, starts):
            found.append(Mutant(str(path.relative_to(CORE)), node.lineno, begin, end, new, kind))
    return found


def _changes(tree: ast.AST, raw: bytes, starts: list[int]) -> Iterator[tuple[ast.expr, int, int, str, str]]:
    def span(node: ast.expr) -> tuple[int, int]:
        return starts[node.lineno - 1] + node.col_offset, starts[(node.end_lineno or 1) - 1] + (
            node.end_col_offset or 0
        )

    def between(a: ast.expr, b: ast.expr, text: str) -> tuple[int, int] | None:
        """Where an operator's text stands between two expressions."""
        begin, end = span(a)[1], span(b)[0]
        at = re.search(rb"(?<![\w<>=!])" + re.escape(text.encode()) + rb"(?![\w<>=])", raw[begin:end])
        return (begin + at.start(), begin + at.end()) if at else None

    hidden = {
        id(n)
        for a in ast.walk(tree)
        if isinstance(a, ast.AnnAssign | ast.arg) and a.annotation
        for n in ast.walk(a.annotation)
    }
    hidden |= {
        id(n) for f in ast.walk(tree) if isinstance(f, ast.FunctionDef) and f.returns for n in ast.walk(f.returns)
    }
    # Decorators say how a class is made, not what it does; a bar outside of functions parts types.
    marked = (d for c in ast.walk(tree) if isinstance(c, ast.ClassDef | ast.FunctionDef) for d in c.decorator_list)
    hidden |= {id(n) for d in marked for n in ast.walk(d) if not isinstance(n, ast.Lambda)}
    inside = {id(n) for f in ast.walk(tree) if isinstance(f, ast.FunctionDef) for n in ast.walk(f)}
    bars = (n for n in ast.walk(tree) if isinstance(n, ast.BinOp) and isinstance(n.op, ast.BitOr))
    hidden |= {id(n) for n in bars if id(n) not in inside}
    for node in ast.walk(tree):
        if id(node) in hidden:
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            old, new = _text(node.ops[0]), _COMPARE[type(node.ops[0])]
            if at := between(node.left, node.comparators[0], old):
                yield node, *at, new, "comparison"
        elif isinstance(node, ast.BoolOp):
            old, new = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
            if at := between(node.values[0], node.values[1], old):
                yield node, *at, new, "and, or"
        elif isinstance(node, ast.BinOp) and type(node.op) in _BINARY and not isinstance(node.left, ast.JoinedStr):
            if at := between(node.left, node.right, _text(node.op)):
                yield node, *at, _BINARY[type(node.op)], "arithmetic"
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            begin, _ = span(node)
            yield node, begin, span(node.operand)[0], "", "not"
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
            yield node, *span(node), repr(node.value + 1), "number"
        elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
            yield node, *span(node), repr(not node.value), "truth"
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in _CALLS:
            yield node.func, *span(node.func), _CALLS[node.func.id], "call"


def _text(op: ast.cmpop | ast.operator) -> str:
    return {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!=", ast.Is: "is", ast.IsNot: "is not", ast.In: "in", ast.NotIn: "not in", ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.BitAnd: "&", ast.BitOr: "|"}[type(op)]  # fmt: skip


def covering() -> tuple[dict[tuple[str, int], set[str]], dict[str, float]]:
    """((file, line) -> tests that run it, test -> seconds), from one run of the tests."""
    OUT.mkdir(exist_ok=True)
    data = OUT / "mutants.coverage"
    if not data.exists():
        config = OUT / "mutants.coveragerc"
        config.write_text(f"[run]\ndata_file = {data}\ndynamic_context = test_function\nsource = {CORE}\n")
        command = [
            sys.executable,
            "-m",
            "coverage",
            "run",
            f"--rcfile={config}",
            "-m",
            "pytest",
            "-q",
            "-p",
            "no:xdist",
            *TESTS,
        ]
        subprocess.run(command, cwd=ROOT, env=_environment(ROOT / "src"), stdout=subprocess.DEVNULL, check=False)
    from coverage import CoverageData

    kept = CoverageData(str(data))
    kept.read()
    lines: dict[tuple[str, int], set[str]] = defaultdict(set)
    weight: dict[str, float] = defaultdict(float)
    for file in kept.measured_files():
        name = str(Path(file).relative_to(CORE))
        for line, contexts in kept.contexts_by_lineno(file).items():
            for context in contexts:
                if context:
                    lines[name, line].add(context)
                    weight[context] += 1
    return lines, weight


def _environment(source: Path) -> dict[str, str]:
    return {
        **os.environ,
        "PYTHONPATH": f"{source}:{ROOT}",
        "PYTHONDONTWRITEBYTECODE": "1",
        "HYPOTHESIS_STORAGE_DIRECTORY": "/dev/null",
    }


def _as_argument(context: str) -> str:
    """A coverage context, `tests.core.test_label.test_x`, as a test that pytest is asked for."""
    module, _, function = context.rpartition(".")
    return f"{module.replace('.', '/')}.py::{function}"


def noticed(mutant: Mutant, tests: list[str]) -> bool:
    """Whether a test fails with the fault put in."""
    with tempfile.TemporaryDirectory(prefix="umbrak-mutant-") as name:
        source = Path(name) / "src"
        shutil.copytree(ROOT / "src", source, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        path = source / "umbrak" / "core" / mutant.file
        raw = path.read_bytes()
        path.write_bytes(raw[: mutant.begin] + mutant.new.encode() + raw[mutant.end :])
        options = ["-x", "-q", "-p", "no:xdist", "-p", "no:cacheprovider", "-o", f"pythonpath={source} {ROOT}"]
        command = [sys.executable, "-m", "pytest", *options, *tests]
        try:
            done = subprocess.run(command, cwd=ROOT, env=_environment(source), capture_output=True, timeout=LONG)
        except subprocess.TimeoutExpired:
            return True
        return done.returncode != 0


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--skip", type=int, default=0, help="of the sample so many, which were looked at before")
    parser.add_argument("--only", default="", help="part of a file's path")
    parser.add_argument("--again", type=Path, help="survivors of an earlier run")
    asked = parser.parse_args()
    lines, weight = covering()
    every = [m for m in mutants() if asked.only in m.file]
    chosen = random.Random(asked.seed).sample(every, min(asked.count, len(every)))[asked.skip :]
    if asked.again:
        before = asked.again.read_text("utf-8")
        chosen = [m for m in every if m.words() in before]
    began, survivors, dead = time.monotonic(), [], 0
    out = (OUT / "mutants.txt").open("w", encoding="utf-8")

    #: Lines that are run on import belong to no test: whatever runs anything of their file is asked.
    of_file: dict[str, set[str]] = defaultdict(set)
    for (file, _), tests in lines.items():
        of_file[file] |= tests

    def one(m: Mutant) -> tuple[Mutant, bool]:
        tests = sorted(lines.get((m.file, m.line)) or of_file[m.file], key=lambda t: weight[t])
        return m, bool(tests) and noticed(m, list(dict.fromkeys(map(_as_argument, tests))))

    with ThreadPoolExecutor(2) as pool:
        for done, (m, seen) in enumerate(pool.map(one, chosen), asked.skip + 1):
            dead += seen
            if done % 10 == 0:
                print(f"{done} looked at", file=sys.stderr, flush=True)
            if not seen:
                survivors.append(m)
                none = "" if lines.get((m.file, m.line)) or of_file[m.file] else " (no test runs it)"
                print(m.words() + none, flush=True)
                print(m.words() + none, file=out, flush=True)
    print(
        f"{len(chosen)} faults of {len(every)} possible, seed {asked.seed}: {dead} noticed, {len(survivors)} not, {time.monotonic() - began:.0f} s"
    )


if __name__ == "__main__":
    main()
