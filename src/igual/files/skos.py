"""Reference lists as SKOS, the Simple Knowledge Organization System of the W3C, in Turtle or JSON-LD.

Nothing is fetched: a JSON-LD file whose context stands elsewhere is refused.
"""

from __future__ import annotations

import json
import logging
import os
import threading
import warnings
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NoReturn
from urllib.parse import quote

from igual.errors import ListError, OutputError, error_context
from igual.files.outputs import outputs
from igual.files.sources import existing_file, to_path
from igual.lists import ReferenceList

_FORMATS = {".ttl": "turtle", ".jsonld": "json-ld"}
SKOS_ENDINGS = tuple(_FORMATS)
_LARGEST = 256 << 20
_SEVERAL = "|"
_BASE = "urn:igual:entry:"
# rdflib has one loader of contexts for the whole process.
_LOADING = threading.Lock()
_PREFIX = "http://www.w3.org/2004/02/skos/core#"


def _rdflib() -> Any:
    try:
        import rdflib
    except ImportError:
        raise ListError("SKOS files require the extra 'skos': pip install 'igual[skos]'") from None
    return rdflib


def read_concepts(path: str | os.PathLike[str], language: str | None = None) -> ReferenceList:
    """Read the concepts of a SKOS file as a list, in the order of their labels' characters.

    Args:
        path: The file (.ttl, .jsonld).
        language: Which labels are meant, besides those without a language; None: the only language there is.

    Returns:
        The list.

    Raises:
        ListError: Where the file isn't valid, or its labels are ambiguous.
    """
    rdflib = _rdflib()
    existing = existing_file(path, ListError)
    graph = _parse(rdflib, existing)
    skos = rdflib.Namespace(_PREFIX)
    concepts = sorted(
        set(graph.subjects(rdflib.RDF.type, skos.Concept)) | set(graph.subjects(skos.prefLabel))
    )
    if not concepts:
        raise ListError(f"{existing.name} has no concepts (skos:Concept)")
    labels = _Labels(graph, language or _only_language(graph, skos, existing.name))
    with error_context(existing.name, ListError):
        entries = _name_concepts(labels, concepts, skos)
    return _build_list(graph, labels, entries, skos)


def _parse(rdflib: Any, path: Path) -> Any:
    if path.stat().st_size > _LARGEST:
        raise ListError(f"{path.name} is too large to be a list")
    content, kind = path.read_bytes(), _FORMATS[path.suffix.lower()]
    graph = rdflib.Graph()
    try:
        with warnings.catch_warnings(), _nothing_fetched(path.name):
            # rdflib's JSON-LD uses what rdflib deprecates.
            warnings.simplefilter("ignore", DeprecationWarning)
            graph.parse(data=content, format=kind, publicID=_BASE)
    except ListError:
        raise
    except RecursionError:
        raise ListError(f"{path.name} is not valid {kind}: it is nested too deeply") from None
    except Exception as error:
        # Each parser of rdflib raises errors of its own.
        lines = str(error).strip().splitlines() or [type(error).__name__]
        raise ListError(f"{path.name} is not valid {kind}: {lines[0][:200]}") from None
    return graph


class _Labels:
    """The labels of concepts in one language, or those without a language."""

    def __init__(self, graph: Any, language: str | None) -> None:
        self._graph = graph
        self.language = language

    def of(self, concept: Any, kind: Any) -> list[str]:
        labels = self._graph.objects(concept, kind)
        # What isn't a text, such as the URI of another thing, is no label.
        given = [(label.language, str(label)) for label in labels if hasattr(label, "language")]
        wanted = [text for tag, text in given if _matches_language(tag, self.language)]
        return sorted(wanted or [text for tag, text in given if not tag])


def _name_concepts(labels: _Labels, concepts: Iterable[Any], skos: Any) -> dict[Any, str]:
    """Each concept that has a name in the language, and its name; sorted by name."""
    entries: dict[Any, str] = {}
    names: set[str] = set()
    for concept in concepts:
        preferred = labels.of(concept, skos.prefLabel)
        if not preferred:
            continue
        if len(preferred) > 1:
            raise ListError(f"{concept} has {len(preferred)} preferred labels: {', '.join(preferred)}")
        if preferred[0] in names:
            raise ListError(f"two concepts are called {preferred[0]!r}")
        entries[concept] = preferred[0]
        names.add(preferred[0])
    if not entries:
        said = (
            f" in the language {labels.language!r}"
            if labels.language
            else ", such as skos:prefLabel, that is a text"
        )
        raise ListError(f"there is no preferred label{said}")
    return dict(sorted(entries.items(), key=lambda item: item[1]))


def _build_list(graph: Any, labels: _Labels, entries: dict[Any, str], skos: Any) -> ReferenceList:
    hidden = {concept: labels.of(concept, skos.hiddenLabel) for concept in entries}
    aliases = {
        name: list(dict.fromkeys([*labels.of(concept, skos.altLabel), *hidden[concept]]))
        for concept, name in entries.items()
    }

    def join(concept: Any, kind: Any) -> str:
        return _SEVERAL.join(sorted(entries.get(one, str(one)) for one in graph.objects(concept, kind)))

    attributes = {
        "uri": [str(concept) for concept in entries],
        "notation": [join(concept, skos.notation) for concept in entries],
        "broader": [join(concept, skos.broader) for concept in entries],
        "hidden": [_SEVERAL.join(hidden[concept]) for concept in entries],
    }
    filled = {name: texts for name, texts in attributes.items() if any(texts)}
    others = {name: [alias for alias in given if alias != name] for name, given in aliases.items()}
    return ReferenceList(list(entries.values()), others, filled)


def _matches_language(tag: str | None, language: str | None) -> bool:
    """Whether a tag such as en-GB is of a language such as en."""
    if not tag or not language:
        return not tag and not language
    return tag.lower() == language.lower() or tag.lower().startswith(f"{language.lower()}-")


def _only_language(graph: Any, skos: Any, name: str) -> str | None:
    labels = graph.objects(None, skos.prefLabel)
    tags = sorted({label.language for label in labels if getattr(label, "language", None)})
    if len(tags) > 1:
        raise ListError(f"{name} has labels in several languages; say which: {', '.join(tags)}")
    return tags[0] if tags else None


@contextmanager
def _nothing_fetched(name: str) -> Iterator[None]:
    """Make the loader of JSON-LD contexts refuse whatever stands outside the document, in whatever form it is named."""
    from rdflib.plugins.shared.jsonld import context

    def refuse(*_: Any, **__: Any) -> NoReturn:
        raise ListError(f"{name}: its @context lies elsewhere; nothing is fetched: put it into the file")

    logger = logging.getLogger("rdflib")
    with _LOADING:
        loader, context.source_to_json = context.source_to_json, refuse
        # What it finds strange about a URI, say, is no matter for the steward.
        propagates, logger.propagate = logger.propagate, False
        logger.addHandler(silent := logging.NullHandler())
        try:
            yield
        finally:
            context.source_to_json, logger.propagate = loader, propagates
            logger.removeHandler(silent)


def write_concepts(reference: ReferenceList, path: str | os.PathLike[str], language: str | None) -> None:
    """Write a list as SKOS; see `ReferenceList.save_skos`."""
    rdflib = _rdflib()
    kind = _FORMATS.get(to_path(path, OutputError).suffix.lower())
    if kind is None:
        raise OutputError(f"{path}: SKOS files end with {', '.join(SKOS_ENDINGS)}")
    graph, skos = rdflib.Graph(), rdflib.Namespace(_PREFIX)
    graph.bind("skos", skos)
    uris = reference.attributes.get("uri") or [None] * len(reference.values)
    nodes = {
        value: rdflib.URIRef(uri or _BASE + quote(value, safe=""))
        for value, uri in zip(reference.values, uris, strict=True)
    }
    extra = {
        name: reference.attributes.get(name) or [None] * len(reference.values)
        for name in ("notation", "broader", "hidden")
    }

    def literal(text: str) -> Any:
        return rdflib.Literal(text, lang=language)

    for place, value in enumerate(reference.values):
        node = nodes[value]
        graph.add((node, rdflib.RDF.type, skos.Concept))
        graph.add((node, skos.prefLabel, literal(value)))
        hidden = set(_parts(extra["hidden"][place]))
        for alias in reference.aliases.get(value, ()):
            graph.add((node, skos.hiddenLabel if alias in hidden else skos.altLabel, literal(alias)))
        for notation in _parts(extra["notation"][place]):
            graph.add((node, skos.notation, rdflib.Literal(notation)))
        for broader in _parts(extra["broader"][place]):
            graph.add((node, skos.broader, nodes.get(broader) or rdflib.URIRef(broader)))
    made = graph.serialize(format=kind)
    if kind == "json-ld":
        concepts = [_in_order(concept) for concept in json.loads(made)]
        concepts.sort(key=lambda concept: concept["@id"])
        made = json.dumps(concepts, ensure_ascii=False, indent=2, sort_keys=True) + "\n"
    with outputs() as staged:
        staged.place(path).write_text(made, encoding="utf-8", newline="\n")


def _in_order(concept: dict[str, Any]) -> dict[str, Any]:
    """A concept with its labels in the same order each time."""
    return {
        key: sorted(given, key=json.dumps) if isinstance(given, list) else given
        for key, given in concept.items()
    }


def _parts(text: str | None) -> Iterable[str]:
    return [part for part in (text or "").split(_SEVERAL) if part]
