"""What may import what: the core knows no Qt, data flows one way, the start stays light."""

from __future__ import annotations

import ast
import importlib
import subprocess
import sys
from pathlib import Path

import pytest

import deep_tally
from deep_tally.check.registry import CHECKS

SOURCE = Path(deep_tally.__file__).parent
ROOMS = ("model", "names", "intake", "measure", "compare", "check", "reply")
SESSION = {"model", "work", "intake", "names", "measure", "compare", "session"}
ENGINE = SESSION | {"check", "engine"}
ALLOWED = {room: {*ROOMS[: position + 1], "work"} for position, room in enumerate(ROOMS)}
# What several rooms run on knows errors, and which files are the client's.
ALLOWED |= {"work": {"model", "work"}, "session": SESSION, "engine": ENGINE, "demo": {"model", "demo"}}
ALLOWED |= {"cli": {*ENGINE, "reply", "demo", "app", "cli"}, "views": {*ALLOWED["reply"], "views"}}
ALLOWED |= {"app": {*ENGINE, "reply", "views", "demo", "listen", "app"}}
ALLOWED["listen"] = {"model", "work", "intake", "measure", "listen"}
ALLOWED["ready"] = {"model", "names", "intake", "work", "ready"}
ALLOWED["engine"] |= {"ready"}
ALLOWED["reply"] |= {"ready"}
ALLOWED["cli"] |= {"ready"}
ALLOWED["app"] |= {"ready"}
ALLOWED["names"] -= {"work"}
ALLOWED["model"] -= {"work"}
# Measuring knows no other file, and so no names; how several relate, names may tell first (pairs by their sides).
ALLOWED["measure"] -= {"names"}
# Checks judge numbers: of measuring and comparing, and of processes, they may know nothing at all.
ALLOWED["check"] -= {"measure", "compare", "work"}
# What views show is worked out from what is known: it measures nothing.
ALLOWED["views"] -= {"measure", "compare", "work"}
# The command line and the window have one check run, and measure nothing themselves.
ALLOWED["cli"] -= {"measure", "compare"}


def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


def test_rooms_know_only_those_to_their_left() -> None:
    seen = 0
    for room, allowed in ALLOWED.items():
        for path in (SOURCE / room).rglob("*.py"):
            rooms = {m.split(".")[1] for m in imports_of(path) if m.startswith("deep_tally.") and m.count(".")}
            assert rooms - {"__version__"} <= allowed, path
            seen += 1
    assert seen > 50


RUNS_A_CHECK = {"take_in", "Measuring", "Comparing", "assess"}


def calls_in(path: Path) -> set[str]:
    calls = [node.func for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.Call)]
    return {call.id for call in calls if isinstance(call, ast.Name)}


def test_one_check_run_serves_every_face() -> None:
    """Listing, measuring, comparing and assessing follow each other in one place: else the faces' answers differ."""
    tests = Path(__file__).parent
    whole = [*(tests / "app").glob("*.py"), *(tests / "cli").glob("*.py"), *(tests / "detectors").glob("test_*.py")]
    elsewhere = [p for room in ("app", "cli", "demo", "reply") for p in (SOURCE / room).rglob("*.py")]
    for path in (*whole, *elsewhere, *(tests.parent / "benchmarks").glob("*.py")):
        # The plan of new names needs the list of files, and none of the rest.
        calls = calls_in(path) & RUNS_A_CHECK - ({"take_in"} if path.parts[-2:] == ("cli", "names.py") else set())
        assert not calls, path
    assert {call for path in (SOURCE / "engine").glob("*.py") for call in calls_in(path)} >= RUNS_A_CHECK


def test_a_view_imports_no_view() -> None:
    """Each view is made of the base and of itself; only the shell knows them all, and nothing of the app knows it."""
    folders = [p for p in (SOURCE / "app").iterdir() if (p / "__init__.py").exists()]
    assert len(folders) >= 10
    for folder in folders:
        known = {"base", folder.name} if folder.name != "shell" else {p.name for p in folders}
        for path in folder.glob("*.py"):
            app = {m.split(".")[2] for m in imports_of(path) if m.startswith("deep_tally.app.")}
            assert app <= known, path


def test_the_core_imports_no_qt() -> None:
    modules = [
        ".".join(("deep_tally", *p.relative_to(SOURCE).with_suffix("").parts))
        for p in SOURCE.rglob("*.py")
        if "app" not in p.relative_to(SOURCE).parts and p.name not in ("__main__.py", "__init__.py")
    ]
    assert len(modules) > 40
    code = f"import importlib, sys\nfor m in {modules!r}: importlib.import_module(m)\n"
    code += "print([m for m in sys.modules if m.split('.')[0] in ('PySide6', 'shiboken6')])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_window_starts_without_the_heavy_libraries() -> None:
    code = "import sys, deep_tally.cli.main, deep_tally.app.base.settings\n"
    code += "import deep_tally.app.shell.window, deep_tally.app.shell.start\n"
    heavy = ("numpy", "scipy", "numba", "pydantic", "soundfile", "av", "mido", "jinja2", "rich")
    code += f"print([m for m in {heavy!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_windows_process_never_loads_what_only_workers_need() -> None:
    code = "import importlib, pkgutil, sys, deep_tally.app\n"
    code += "for found in pkgutil.walk_packages(deep_tally.app.__path__, 'deep_tally.app.'):\n"
    code += "    if not found.name.endswith('.screenshots'): importlib.import_module(found.name)\n"
    code += "assert 'deep_tally.app.base.listening' in sys.modules\n"
    heavy = ("numba", "scipy", "soundfile", "av", "soxr", "sounddevice", "mido")
    code += f"print([m for m in {heavy!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


# -- sizes and shape --------------------------------------------------------------------------

FILE_LINES, CLASS_LINES, FUNCTION_LINES, PUBLIC_METHODS = 500, 400, 60, 25


def _lines(node: ast.AST) -> int:
    """Lines of a class or function; a function's docstring does not count."""
    assert isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
    lines = (node.end_lineno or 0) - node.lineno + 1
    first = node.body[0]
    is_docstring = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
    if not isinstance(node, ast.ClassDef) and is_docstring:
        lines -= (first.end_lineno or 0) - first.lineno + 1
    return lines


def _too_large(source: str) -> list[str]:
    found = ["the file"] if source.count("\n") > FILE_LINES else []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and _lines(node) > FUNCTION_LINES:
            found.append(node.name)
        elif isinstance(node, ast.ClassDef):
            # What Qt calls is named as Qt names it.
            names = [f.name for f in node.body if isinstance(f, ast.FunctionDef)]
            public = [name for name in names if not name.startswith("_") and name.islower()]
            if _lines(node) > CLASS_LINES or len(public) > PUBLIC_METHODS:
                found.append(node.name)
    return found


def test_no_file_class_or_function_is_too_large() -> None:
    paths = list(SOURCE.rglob("*.py"))
    assert len(paths) > 200
    assert {str(p.relative_to(SOURCE)): found for p in paths if (found := _too_large(p.read_text("utf-8")))} == {}


def test_what_is_too_large_is_found() -> None:
    body = "    x = 1\n"
    assert _too_large("def f():\n" + body * FUNCTION_LINES) == ["f"]
    assert _too_large("def f():\n" + body * (FUNCTION_LINES - 1)) == []
    assert _too_large('def f():\n    """One\n\n    and more.\n    """\n' + body * (FUNCTION_LINES - 1)) == []
    assert _too_large("class C:\n" + body * CLASS_LINES) == ["C"]
    methods = "".join(f"    def m{n}(self): ...\n" for n in range(PUBLIC_METHODS))
    assert _too_large("class C:\n" + methods + "    def _own(self): ...\n    def paintEvent(self): ...\n") == []
    assert _too_large("class C:\n" + methods + "    def more(self): ...\n") == ["C"]
    assert _too_large("x = 1\n" * (FILE_LINES + 1)) == ["the file"]


def _needs(path: Path) -> set[str]:
    """The modules one module imports, at once or later; what only a type checker reads is left out."""
    tree = ast.parse(path.read_text("utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING":
            node.body = []
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("deep_tally"):
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found


def _cycle(graph: dict[str, set[str]]) -> list[str]:
    """One way from a module back to itself; empty where there is none."""
    done: set[str] = set()

    def visit(module: str, way: list[str]) -> list[str]:
        if module in way:
            return [*way[way.index(module) :], module]
        if module not in done:
            for needed in sorted(graph[module]):
                if cycle := visit(needed, [*way, module]):
                    return cycle
            done.add(module)
        return []

    return next((cycle for module in sorted(graph) if (cycle := visit(module, []))), [])


def test_no_module_needs_itself_by_way_of_others() -> None:
    modules = {".".join(("deep_tally", *p.relative_to(SOURCE).with_suffix("").parts)): p for p in SOURCE.rglob("*.py")}
    graph = {name: (_needs(path) & modules.keys()) - {name} for name, path in modules.items()}
    assert sum(map(len, graph.values())) > 1000
    assert _cycle(graph) == []
    assert _cycle({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}) == ["a", "b", "c", "a"]


QUESTIONS = ("start", "length", "rate", "depth", "clipping", "headroom", "channels", "name", "content")


def test_checks_and_their_words_mirror_each_other_question_by_question() -> None:
    assert {check.code.partition(".")[0] for check in CHECKS} == set(QUESTIONS)
    for question in QUESTIONS:
        assert (SOURCE / "check" / "rules" / f"{question}.py").exists()
        words = importlib.import_module(f"deep_tally.reply.wording.{question}")
        codes = {check.code for check in CHECKS if check.code.startswith(f"{question}.")}
        assert set(words.WORDINGS) == codes


# -- tests ------------------------------------------------------------------------------------


TOGETHER = {
    "work/test_lanes.py": "work: lanes_compiled",
    "work/test_compiled.py": "work: entry",
    "model/test_phrase.py": "model: english tempo_source",
    "model/test_brief.py": "model: thresholds errors",
    "session/test_corrections.py": "model: corrections; intake: fingerprint; session: cached",
    "session/test_brief_library.py": "session: words",
    "check/test_mends.py": "model: mend findings; reply/wording: mends",
    "check/test_common.py": "model: delivery",
    "names/test_plan.py": "model: naming names; names: pattern read",
    "names/test_match.py": "model: parts; names: siblings",
    "names/test_parse.py": "names: segments vocabulary prefix",
    "measure/test_one_pass.py": "model: measures",
    "measure/test_clipping.py": "measure: runs",
    "intake/test_containers.py": "intake: aiff au caf w64 chunks pcm sound signatures codec_delay corrected",
    "intake/test_reading.py": "model: files; intake: decoded",
    "intake/test_companions.py": "intake: midi notes video; names: facts",
    "names/test_roles.py": "names: words",
    "intake/test_walk.py": "intake: folders",
    "intake/test_zips.py": "intake: zip_reader",
    "compare/test_compare.py": "model: comparison",
    "compare/test_mix_match.py": "model: mix_match; compare: mix_search",
    "views/test_mix_map.py": "reply: mix_words",
    "compare/test_matching.py": "compare: song_jobs",
    "check/rules/test_start.py": "check/rules: stamps",
    "engine/test_check_run.py": "engine: opening preparing",
    "engine/test_saved.py": "engine: saving; reply: saved_words; session: saved_checks saved_schema",
    "app/test_decisions.py": "reply: decision_words",
    "reply/formats/test_pdf.py": "reply/formats: tagged_pdf",
    "reply/formats/test_session_sheet.py": "reply: session_sheet",
    "session/test_engineer.py": "model: paper",
    "views/test_rows.py": "views: cell_texts columns filter",
    "app/test_line_up.py": "views: time_axis",
    "app/test_ready_view.py": "views: ready_rows",
    "app/test_reliability.py": "views: not_checked",
    "reply/test_save.py": "work: atomic",
    "reply/test_letter.py": (
        "reply: action_words details letter_options page picture requests tasks; reply/formats: text markdown html;"
        " reply/wording: speaker facts start length rate depth clipping headroom channels name content"
    ),
    "reply/test_brief_page.py": "reply: brief_words",
    "app/test_songs_and_roles.py": "reply: correction_words role_words role_texts",
    "reply/test_first_part.py": "reply: reasons",
    "check/test_rounds.py": "model: rounds",
    "engine/test_rounds.py": (
        "engine: joining round_sides; demo: round_two; reply: round_words; reply/formats: rounds_json"
    ),
    "reply/test_edits.py": "model: letter_edits",
    "ready/test_plan.py": "model: ready; ready: drafts left_out levels naming places; reply: ready_words",
    "ready/test_render.py": "ready: sources",
    "ready/test_write.py": "ready: raw",
    "engine/test_ready_run.py": "reply: ready_folder",
    "cli/test_command.py": "reply: incomplete_words; cli: check ends main progress recalled running",
    "cli/test_briefs_and_names.py": "reply: name_words; cli: brief names",
    "listen/test_player_process.py": "listen: plan voices",
    "check/test_demo.py": "demo: awkward bundle delivery exports song synth",
}
"""Modules that are tested with others: formats by one table of cases, words by the letter, commands by being run."""


def _has_logic(path: Path) -> bool:
    return any(isinstance(node, ast.FunctionDef) for node in ast.walk(ast.parse(path.read_text("utf-8"))))


def test_each_module_of_the_core_is_tested_under_its_name_or_said_where() -> None:
    tests = Path(__file__).parent
    together = {
        f"{room.strip()}/{name}.py": test
        for test, listed in TOGETHER.items()
        for group in listed.split(";")
        for room, _, names in [group.partition(":")]
        for name in names.split()
    }
    paths = [
        p for p in SOURCE.rglob("*.py") if "app" not in p.relative_to(SOURCE).parts and not p.name.startswith("__")
    ]
    modules = {p.relative_to(SOURCE).as_posix(): p for p in paths if _has_logic(p)}
    assert len(modules) > 120
    own = {name for name in modules if (tests / name).with_name(f"test_{Path(name).name}").exists()}
    assert len(own) >= 65
    assert modules.keys() - own - together.keys() == set()
    assert together.keys() & own == set(), "they have tests of their own by now"
    assert together.keys() - {p.relative_to(SOURCE).as_posix() for p in paths} == set()
    assert all((tests / test).exists() for test in together.values())


def _privates(tree: ast.Module) -> list[str]:
    """What code reads of others that they keep to themselves."""
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Attribute) and node.attr.startswith("_") and not node.attr.startswith("__"):
            if not (isinstance(node.value, ast.Name) and node.value.id in ("self", "cls", "os")):
                found.append(ast.unparse(node))
        elif isinstance(node, ast.ImportFrom) and (node.module or "").startswith("deep_tally"):
            found += [alias.name for alias in node.names if alias.name.startswith("_") and alias.name[1] != "_"]
    return found


def test_tests_read_no_privates() -> None:
    paths = list(Path(__file__).parent.rglob("*.py"))
    assert len(paths) > 80
    assert {p.name: found for p in paths if (found := _privates(ast.parse(p.read_text("utf-8"))))} == {}
    assert _privates(ast.parse("from deep_tally.a import _b\nx._y\nself._z\nx.__name__")) == ["_b", "x._y"]


# -- foreign words ----------------------------------------------------------------------------

_SHOWS_PLAIN = "plain.py"
_GUESSES = {"QLabel", "QMessageBox", "QInputDialog", "QErrorMessage", "QProgressDialog", "QWhatsThis", "QStaticText"}
"""Widgets of Qt that read their text as markup where it looks like some."""

_READS_MARKUP = {"setHtml", "insertHtml", "setMarkdown", "setTextFormat", "setWhatsThis", "appendHtml"}


def _is_safe(text: ast.expr) -> bool:
    """Whether a text is our own, or was made plain."""
    if isinstance(text, ast.IfExp):
        return _is_safe(text.body) and _is_safe(text.orelse)
    return isinstance(text, ast.Constant) or (isinstance(text, ast.Call) and ast.unparse(text.func) == "as_plain")


def _unsafe_texts(tree: ast.Module) -> list[str]:
    """What may be read as markup: widgets that guess, and tooltips that are neither our own words nor made plain."""
    found = [node.id for node in ast.walk(tree) if isinstance(node, ast.Name) and node.id in _GUESSES]
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            shown = {"setToolTip": -1, "showText": 1}.get(node.func.attr)
            if node.func.attr in _READS_MARKUP or (shown is not None and not _is_safe(node.args[shown])):
                found.append(ast.unparse(node))
        elif isinstance(node, ast.If) and "ToolTipRole" in ast.unparse(node.test):
            answers = [n.value for n in ast.walk(node) if isinstance(n, ast.Return) and n.value is not None]
            found += [ast.unparse(a) for a in answers if not _is_safe(a)]
    return found


def test_no_label_tooltip_or_message_reads_foreign_words_as_markup() -> None:
    seen = 0
    for path in (SOURCE / "app").rglob("*.py"):
        if path.name != _SHOWS_PLAIN:
            assert _unsafe_texts(ast.parse(path.read_text("utf-8"))) == [], path
            seen += 1
    assert seen > 40


@pytest.mark.parametrize(
    "code",
    [
        "label = QLabel(name)",
        "QMessageBox.warning(self, 'x', name)",
        "self.setToolTip(name)",
        "item.setToolTip(1, f'{name}')",
        "QToolTip.showText(point, name, self)",
        "if role == Qt.ItemDataRole.ToolTipRole: return name",
        "document.setHtml(name)",
    ],
)
def test_what_would_be_read_as_markup_is_found(code: str) -> None:
    assert _unsafe_texts(ast.parse(f"def data():\n    {code}"))
