"""The house's own rules: lengths, tokens, names of files in the documents, the drawn layers."""

import ast
import fnmatch
import re
import subprocess
import sys
import tomllib
from functools import cache
from pathlib import Path as FilePath

import pytest

ROOT = FilePath(__file__).resolve().parents[1]
SOURCES = [ROOT / name for name in subprocess.check_output(["git", "ls-files"], cwd=ROOT, text=True).splitlines()]
OURS = [f for f in SOURCES if f.exists() and "vendor" not in f.parts and "migrations" not in f.parts]
PAGES = [f for f in OURS if f.suffix in (".html", ".css", ".js") and "src" in f.parts]


@pytest.mark.parametrize("suffix", [".html", ".css", ".js"])
def test_no_line_of_a_page_is_longer_than_a_glance(suffix):
    long = [
        f"{file.relative_to(ROOT)}:{number}"
        for file in PAGES
        if file.suffix == suffix
        for number, line in enumerate(file.read_text(encoding="utf-8").splitlines(), 1)
        if len(line) > 160
    ]
    assert not long, "Break these lines: " + ", ".join(long)


def test_no_module_is_longer_than_five_hundred_lines():
    modules = [f for f in OURS if "src" in f.parts and f.suffix in (".py", ".css", ".js", ".html")]
    long = [str(f.relative_to(ROOT)) for f in modules if len(f.read_text(encoding="utf-8").splitlines()) > 500]
    assert not long, "Divide these: " + ", ".join(long)


def test_no_query_takes_a_missing_json_value_for_null():
    """``filter(field=None)`` on a JSONField asks for the JSON value null, which no row has: ``field__isnull`` is
    meant.
    """
    code = {f: f.read_text(encoding="utf-8") for f in OURS if f.suffix == ".py" and "web" in f.parts}
    fields = {name for text in code.values() for name in re.findall(r"(\w+) = models\.JSONField\(", text)}
    assert "raw_profile" in fields
    asked = re.compile(rf"\b(?:filter|exclude|get|Q)\([^()]*\b(?:\w+__)?({'|'.join(fields)})=None")
    assert not [f"{file.name}: {found[0]}" for file, text in code.items() for found in asked.finditer(text)]


def test_the_list_of_parsers_is_whole():
    """Each reader that runs apart, and each place of the web that takes a file, is in docs/security.md's list."""
    from upwelling.core.apart import READERS

    text = (ROOT / "docs/security.md").read_text(encoding="utf-8").split("## Where foreign bytes are read")[1]
    modules = {place.split(":")[0].removeprefix("upwelling.").replace(".", "/") for place in READERS.values()}
    for module in modules - {"core/cut/read"}:  # which hands on to core/cut/timeline.py there
        assert f"`{module}.py`" in text, module
    for module in re.findall(r"`(core/[\w/.]+)`", text):
        assert (ROOT / "src/upwelling" / module).exists(), module
    takes = [f for f in OURS if f.suffix == ".py" and "web" in f.parts and "tests" not in f.parts]
    asking = {f.name for f in takes if "request.FILES" in f.read_text(encoding="utf-8")}
    assert asking == {"views.py", "intake.py", "own_encodings.py"}, "say in docs/security.md where this file is read"


def test_styles_name_tokens_and_hold_one_declaration_a_line():
    for file in (f for f in PAGES if f.suffix == ".css" and f.name not in ("tokens.css", "rooms.css")):
        text = file.read_text(encoding="utf-8")
        assert not re.findall(r"#[0-9a-fA-F]{3,8}\b", text), f"{file.name}: a colour that is no token"
        assert not re.findall(r"font-size: *[\d.]", text), f"{file.name}: a size of type that is no token"
        assert not re.findall(r";[ \t]*[\w-]+:", text), f"{file.name}: two declarations on a line"


def test_every_token_that_is_named_is_defined():
    tokens = (ROOT / "src/upwelling/web/static/css/tokens.css").read_text(encoding="utf-8")
    defined = set(re.findall(r"(--[\w-]+):", tokens))
    for file in (f for f in PAGES if f.suffix == ".css"):
        text = file.read_text(encoding="utf-8")
        named = set(re.findall(r"var\((--(?:n\d+|text-|pale-|on-|type|space|ink|accent|red|green|blue)[\w-]*)", text))
        assert named <= defined | set(re.findall(r"(--[\w-]+):", text)), file.name


def test_the_files_that_the_documents_name_exist():
    missing = []
    for document in (ROOT / "docs").glob("*.md"):
        for name in re.findall(r"`((?:src|tests|scripts|docs)/[\w./-]+)`", document.read_text(encoding="utf-8")):
            if not (ROOT / name).exists():
                missing.append(f"{document.name}: {name}")
    assert not missing


def test_where_do_i_change_is_answered_for_fifteen_tasks():
    text = (ROOT / "docs/architecture.md").read_text(encoding="utf-8")
    table = text.split("## Where do I change")[1].split("##")[0]
    rows = [line for line in table.splitlines() if line.startswith("| ") and "---" not in line][1:]
    assert len(rows) >= 15
    assert all("`src/upwelling/" in row for row in rows)


# A plain member of each family, by the row that says where one is added: no place that the row lacks knows its name.
PLAIN = [
    ("add a step", "Vignette"),
    ("add a selection", "Polygon"),
    ("add a tone map or a gamut fit", "Bt2446C"),
    ("add a tone map or a gamut fit", "HardClip"),
    ("add a transfer curve", "PowerToeLog"),
    ("add an encoding", "F-Log2"),
    ("add a scope", "OVERLAY"),
    ("add a table format", "HALD"),
    ("add a still container", "WEBP"),
]


@pytest.mark.parametrize(("task", "member"), PLAIN)
def test_adding_one_needs_no_other_place_than_the_row_names(task, member):
    row = next(line for line in text_of("docs/architecture.md").splitlines() if line.startswith(f"| {task} |"))
    places = re.findall(r"`(src/[\w./]+)`", row)
    code = [f for f in OURS if "src" in f.parts and f.suffix in (".py", ".js", ".html") and "seed_" not in f.name]
    word = re.compile(rf"(?<![\w-]){re.escape(member)}(?![\w-])")
    naming = {str(f.relative_to(ROOT)) for f in code if word.search(f.read_text(encoding="utf-8"))}
    assert naming, member
    assert not [name for name in naming if not any(name.startswith(place) for place in places)]


def test_the_drawn_layers_are_those_that_are_held(tmp_path):
    sys.path.insert(0, str(ROOT / "scripts"))
    try:
        from draw_layers import OUT, drawn
    finally:
        sys.path.pop(0)
    assert OUT.read_text(encoding="utf-8") == drawn(), "Run `make layers`"


@cache
def _named_in(place):
    """The names a module's own lines define or bring in."""
    return frozenset(_names(place))


def _names(place):
    for node in ast.walk(ast.parse(place.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import | ast.ImportFrom):
            yield from ((one.asname or one.name).split(".")[0] for one in node.names)
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            yield node.id
        elif isinstance(node, ast.FunctionDef | ast.ClassDef):
            yield node.name


def _is_there(module, name):
    place = ROOT.joinpath(*module.split("."))
    if place.is_dir():
        return (place / f"{name}.py").exists() or name in _named_in(place / "__init__.py")
    return name in _named_in(place.with_suffix(".py"))


def test_what_one_test_file_takes_from_another_is_there():
    """Also within a function, where a name that moved would be missed only when that one test runs."""
    gone = [
        f"{file.relative_to(ROOT)}: {name.name} of {node.module}"
        for file in (f for f in OURS if f.suffix == ".py" and "tests" in f.parts)
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8")))
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("tests.")
        for name in node.names
        if not _is_there(str(node.module), name.name)
    ]
    assert not gone, "Not there any more: " + "; ".join(gone)


def test_rules_with_an_exemption_name_files_that_are_there():
    """A path that moved would leave its exemption behind, and its file without one."""
    kept = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["tool"]["ruff"]["lint"][
        "per-file-ignores"
    ]
    files = [str(file.relative_to(ROOT)) for file in SOURCES]
    assert not [pattern for pattern in kept if not fnmatch.filter(files, pattern)]


def test_the_hook_before_a_commit_runs_what_is_there():
    """Its tools are those of the lock file, so that it works wherever the tests do."""
    hook = (ROOT / "scripts/hooks/pre-commit").read_text(encoding="utf-8")
    lock = (ROOT / "requirements-dev.lock").read_text(encoding="utf-8")
    tools = {"ruff": "ruff", "lint-imports": "import-linter", "python": "pytest"}
    used = set(re.findall(r"\.venv/bin/([\w-]+)", hook))
    assert used <= tools.keys()
    assert all(re.search(rf"(?m)^{tools[tool]}==", lock) for tool in used)


def test_the_glossary_names_what_is_there():
    rows = re.findall(r"(?m)^\| ([^|]+) \| [^|]+ \| `([^`:]+)(?:: (\w+))?` \|$", text_of("docs/glossary.md"))
    assert len(rows) > 30
    names = [name for name, _, _ in rows]
    assert names == sorted(set(names), key=str.lower)
    for name, place, defined in rows:
        code = text_of(f"src/upwelling/{place}")
        assert not defined or re.search(rf"(?m)^((class|def) {defined}\b|{defined} = )", code), name


def text_of(place):
    return (ROOT / place).read_text(encoding="utf-8")
