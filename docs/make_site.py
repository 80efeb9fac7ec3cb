"""Build the documentation as a site: ``python docs/make_site.py [FOLDER]``, by default into ``build/docs``."""

from __future__ import annotations

import json
import re
import sys
import tomllib
from html import escape
from pathlib import Path
from posixpath import dirname, join, normpath
from typing import TYPE_CHECKING, Any, NamedTuple

from markdown_it import MarkdownIt
from mdit_py_plugins.anchors import anchors_plugin

from untor import BuildResult, Engine, TrustedHTML

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, MutableMapping, Sequence

    from markdown_it.renderer import RendererHTML
    from markdown_it.token import Token
    from markdown_it.utils import OptionsDict

HERE = Path(__file__).parent
ROOT = HERE.parent

ELSEWHERE = {
    "README.md": "index",
    "CHANGELOG.md": "changes",
    "CONTRIBUTING.md": "contributing",
    "SECURITY.md": "reporting",
}
"""Documents of the project that are pages of the site too."""

_REASON = "our own documents, rendered without HTML of their own"
_MARK = re.compile(r"\{=.*?=\}|&lt;!(?!doctype|--|\[).*?!&gt;", re.DOTALL | re.IGNORECASE)


class Document(NamedTuple):
    """A document: its name, which is its path in the site without ``.html``, its title, and its Markdown."""

    name: str
    title: str
    text: str
    folder: str = "docs"


def documents() -> dict[str, Document]:
    """Return all documents by name."""
    found = {}
    for file in sorted([*HERE.glob("*.md"), *HERE.glob("problems/*.md")]):
        name = file.relative_to(HERE).with_suffix("").as_posix()
        folder = normpath(join("docs", dirname(name)))
        found[name] = _document(name, file.read_text("utf-8"), folder)
    for path, name in ELSEWHERE.items():
        if name not in found:
            found[name] = _document(name, (ROOT / path).read_text("utf-8"), ".")
    found["examples"] = _document("examples", _examples(), "docs")
    return found


def _document(name: str, text: str, folder: str) -> Document:
    title = re.search(r"^# (.*)$", text, re.MULTILINE)
    assert title is not None, name
    return Document(name, title[1].replace("`", ""), text, folder)


def _examples() -> str:
    """Return the applications of the examples as one document."""
    parts = ["# Examples", "", "The same small harbour in each framework; the tests run all of them."]
    for file in sorted((ROOT / "examples").glob("*.py")):
        parts += ["", f"## {file.name}", "", "```python", file.read_text("utf-8").rstrip(), "```"]
    return "\n".join(parts)


class Site:
    """The pages of the site, made from the documents."""

    def __init__(self) -> None:
        self.documents = documents()
        contents = tomllib.loads((HERE / "site/contents.toml").read_text("utf-8"))["sections"]
        self.sections = [
            {"title": section["title"], "documents": [self._entry(name) for name in section["documents"]]}
            for section in contents
        ]
        self.order = [name for section in contents for name in section["documents"]]
        missing = {name for name in self.documents if "/" not in name} - {*self.order}
        assert not missing, f"not in contents.toml: {', '.join(sorted(missing))}"
        self.index: list[dict[str, str]] = []

    def _entry(self, name: str) -> dict[str, str]:
        return {"name": name, "title": self.documents[name].title}

    def pages(self) -> Iterator[tuple[str, str, Mapping[str, object]]]:
        """Yield the path, template and values of each page."""
        for document in self.documents.values():
            tokens = _MARKDOWN.parse(document.text, env := {"links": self, "document": document})
            body = _MARKDOWN.renderer.render(tokens, _MARKDOWN.options, env)
            place = self.order.index(document.name) if document.name in self.order else -1
            around = [
                self.order[each] if place >= 0 and 0 <= each < len(self.order) else ""
                for each in (place - 1, place + 1)
            ]
            previous, following = (self._entry(name) if name else None for name in around)
            self._add_to_index(document, tokens)
            yield (
                f"{document.name}.html",
                "document.html",
                {
                    "title": document.title,
                    "body": TrustedHTML(body, reason=_REASON),
                    "sections": self.sections,
                    "current": document.name if place >= 0 else dirname(document.name),
                    "headings": [*_headings(tokens)],
                    "up": "../" * document.name.count("/"),
                    "previous": previous,
                    "next": following,
                },
            )

    def address(self, target: str, document: Document) -> str:
        """Return where a link of a document leads in the site; empty for a file that the site has no page for.

        Raises ``KeyError`` for what is not there.
        """
        if re.match(r"[a-z][a-z0-9+.-]*:|#", target):
            return target
        path, mark, fragment = target.partition("#")
        whole = normpath(join(document.folder, path))
        up = "../" * document.name.count("/")
        if whole.startswith(("docs/screenshots/", "docs/pictures/")):
            return f"{up}{whole.removeprefix('docs/')}"
        if whole.startswith("examples/") or whole == "examples":
            return f"{up}examples.html#{whole.rpartition('/')[2].replace('.', '')}"
        name = ELSEWHERE.get(whole, whole.removeprefix("docs/").removesuffix(".md"))
        if name not in self.documents:
            if (ROOT / whole).exists():
                return ""
            raise KeyError(f"{document.name}: {target}")
        return f"{up}{name}.html{mark}{fragment}"

    def _add_to_index(self, document: Document, tokens: Sequence[Token]) -> None:
        address, title, words = f"{document.name}.html", document.title, [""]
        for number, token in enumerate(tokens):
            if token.type == "heading_open" and token.tag in {"h2", "h3"}:
                self.index.append({"address": address, "title": title, "page": document.title, "text": " ".join(words)})
                address = f"{document.name}.html#{token.attrs['id']}"
                title, words = _plain(tokens[number + 1]), []
            elif token.type in {"inline", "fence"}:
                words.append(_plain(token))
        self.index.append({"address": address, "title": title, "page": document.title, "text": " ".join(words)})


def _headings(tokens: Sequence[Token]) -> Iterator[dict[str, object]]:
    for number, token in enumerate(tokens):
        if token.type == "heading_open" and token.tag in {"h2", "h3"}:
            yield {"level": int(token.tag[1]), "id": token.attrs["id"], "text": _plain(tokens[number + 1])}


def _plain(token: Token) -> str:
    return "".join(child.content for child in token.children) if token.children else token.content


# --- Markdown ------------------------------------------------------------------------------------------------------


def _fence(_renderer: RendererHTML, tokens: Sequence[Token], index: int, *_: object) -> str:
    """Render a block of code, with the marks of templates and what is typed in a terminal."""
    token = tokens[index]
    code = escape(token.content, quote=False)
    if token.info in {"html", "xml"}:
        code = _MARK.sub(lambda found: f'<span class="mark">{found[0]}</span>', code)
    elif token.info == "console":
        code = re.sub(r"^\$ .*$", lambda found: f'<span class="typed">{found[0]}</span>', code, flags=re.MULTILINE)
    return f'<pre tabindex="0"><code>{code}</code></pre>\n'


def _link(
    self: RendererHTML, tokens: Sequence[Token], index: int, options: OptionsDict, env: MutableMapping[str, Any]
) -> str:
    token = tokens[index]
    attribute = "src" if token.type == "image" else "href"
    address = env["links"].address(str(token.attrs.pop(attribute)), env["document"])
    if address:
        token.attrs = {attribute: address, **token.attrs}
    else:  # the site has no page for this file: only its name is shown
        token.tag = next(each for each in tokens[index:] if each.type == "link_close").tag = "span"
    return (
        self.image(tokens, index, options, env)
        if token.type == "image"
        else self.renderToken(tokens, index, options, env)
    )


def _table_open(*_: object) -> str:
    return '<div class="scroll" tabindex="0" role="group" aria-label="Table"><table>\n'


def _table_close(*_: object) -> str:
    return "</table></div>\n"


def _slug(title: str) -> str:
    """Return the anchor of a heading, as the hosts of repositories make it."""
    return re.sub(r"[^\w\- ]", "", title.lower()).replace(" ", "-")


_MARKDOWN = MarkdownIt("commonmark", {"html": False, "xhtmlOut": False}).enable("table")
_MARKDOWN.use(anchors_plugin, max_level=4, slug_func=_slug)
for _rule, _renderer in {
    "fence": _fence,
    "link_open": _link,
    "image": _link,
    "table_open": _table_open,
    "table_close": _table_close,
}.items():
    _MARKDOWN.add_render_rule(_rule, _renderer)  # type: ignore[arg-type]


def build(folder: str | Path) -> BuildResult:
    """Build the site into a folder, and follow its links. Raises ``BuildFailed``."""
    site = Site()
    static = {"/static": HERE / "site/static", "/screenshots": HERE / "screenshots", "/pictures": HERE / "pictures"}
    engine = Engine(HERE / "site/templates", static=static)
    pages = [*site.pages()]
    index = json.dumps(site.index, ensure_ascii=False)
    return engine.build(folder, [*pages, ("search.json", "search.txt", {"index": index})], check=True)


def main(folder: str = "build/docs") -> None:
    """Build the site, and say what is in it; a link that leads nowhere is an error."""
    result = build(folder)
    for link in result.broken:
        print(f"{link.page}: {link.target}: {link.why}", file=sys.stderr)  # noqa: T201
    print(f"{folder}: {result.pages} pages, {result.written} written.")  # noqa: T201
    sys.exit(1 if result.broken else 0)


if __name__ == "__main__":
    main(*sys.argv[1:])
