"""Reference lists as SKOS, the Simple Knowledge Organization System of the W3C, in Turtle or JSON-LD.

Nothing is fetched: a JSON-LD file whose context stands elsewhere is refused.
"""

from __future__ import annotations

import json
import os
import warnings
from collections.abc import Iterable
from pathlib import Path
from typing import Any
from urllib.parse import quote

from igual.core.errors import ListError, OutputError
from igual.core.lists import ReferenceList
from igual.files.outputs import outputs
from igual.files.sources import existing_file

_FORMATS = {".ttl": "turtle", ".jsonld": "json-ld"}
SKOS_ENDINGS = tuple(_FORMATS)
_LARGEST = 256 << 20
_SEVERAL = "|"
_BASE = "urn:igual:entry:"
_PREFIX = "http://www.w3.org/2004/02/skos/core#"


def _rdflib() -> Any:
    try:
        import rdflib
    except ImportError:
        raise ListError("SKOS files want the extra 'skos': pip install 'igual[skos]'") from None
    return rdflib


def read_concepts(path: str | os.PathLike[str], language: str | None = None) -> ReferenceList:
    """The concepts of a SKOS file as a list, in the order of their labels' characters.

    language: which labels are meant, besides those without a language; None: the only language there is.
    """
    rdflib = _rdflib()
    found = existing_file(path, ListError)
    if found.stat().st_size > _LARGEST:
        raise ListError(f"{found.name} is too large to be a list")
    content = found.read_bytes()
    if found.suffix.lower() == ".jsonld":
        _refuse_remote(content, found.name)
    graph = rdflib.Graph()
    try:
        with warnings.catch_warnings():
            warnings.simplefilter(
                "ignore", DeprecationWarning
            )  # rdflib's JSON-LD uses what rdflib deprecates
            graph.parse(data=content, format=_FORMATS[found.suffix.lower()], publicID=_BASE)
    except Exception as error:
        # Each parser of rdflib raises errors of its own.
        said = str(error).strip().splitlines() or [type(error).__name__]
        raise ListError(
            f"{found.name} is not valid {_FORMATS[found.suffix.lower()]}: {said[0][:200]}"
        ) from None
    skos = rdflib.Namespace(_PREFIX)
    concepts = sorted(
        set(graph.subjects(rdflib.RDF.type, skos.Concept)) | set(graph.subjects(skos.prefLabel))
    )
    if not concepts:
        raise ListError(f"{found.name} has no concepts (skos:Concept)")
    language = language or _only_language(graph, skos, found.name)

    def labels(concept: Any, kind: Any) -> list[str]:
        given = [(label.language, str(label)) for label in graph.objects(concept, kind)]
        wanted = [text for tag, text in given if _speaks(tag, language)]
        return sorted(wanted or [text for tag, text in given if not tag])

    entries: dict[Any, str] = {}
    for concept in concepts:
        preferred = labels(concept, skos.prefLabel)
        if not preferred:
            continue  # it has no name in this language
        if len(preferred) > 1:
            raise ListError(
                f"{found.name}: {concept} has {len(preferred)} preferred labels: {', '.join(preferred)}"
            )
        if preferred[0] in entries.values():
            raise ListError(f"{found.name}: two concepts are called {preferred[0]!r}")
        entries[concept] = preferred[0]
    if not entries:
        raise ListError(f"{found.name} has no preferred label in the language {language!r}")
    in_order = sorted(entries, key=lambda concept: entries[concept])
    hidden = {concept: labels(concept, skos.hiddenLabel) for concept in in_order}
    aliases = {entries[concept]: [*labels(concept, skos.altLabel), *hidden[concept]] for concept in in_order}
    attributes = {
        "uri": [str(concept) for concept in in_order],
        "notation": [_SEVERAL.join(sorted(map(str, graph.objects(c, skos.notation)))) for c in in_order],
        "broader": [
            _SEVERAL.join(sorted(entries.get(up, str(up)) for up in graph.objects(concept, skos.broader)))
            for concept in in_order
        ],
        "hidden": [_SEVERAL.join(hidden[concept]) for concept in in_order],
    }
    told = {name: texts for name, texts in attributes.items() if any(texts)}
    values = [entries[concept] for concept in in_order]
    unique = {value: [a for a in dict.fromkeys(given) if a != value] for value, given in aliases.items()}
    return ReferenceList(values, unique, told)


def _speaks(tag: str | None, language: str | None) -> bool:
    """Whether a tag such as en-GB is of a language such as en."""
    if not tag or not language:
        return not tag and not language
    return tag.lower() == language.lower() or tag.lower().startswith(f"{language.lower()}-")


def _only_language(graph: Any, skos: Any, name: str) -> str | None:
    tags = sorted({label.language for label in graph.objects(None, skos.prefLabel) if label.language})
    if len(tags) > 1:
        raise ListError(f"{name} has labels in several languages; say which: {', '.join(tags)}")
    return tags[0] if tags else None


def _refuse_remote(content: bytes, name: str) -> None:
    """Raise ListError where a JSON-LD file would have its context fetched from somewhere."""
    try:
        given = json.loads(content)
    except (ValueError, RecursionError) as error:
        raise ListError(f"{name} is not valid JSON: {error}") from None
    waiting = [given]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            contexts = part.get("@context", [])
            for context in contexts if isinstance(contexts, list) else [contexts]:
                if isinstance(context, str) or (isinstance(context, dict) and "@import" in context):
                    raise ListError(
                        f"{name}: its @context lies elsewhere; nothing is fetched: put it into the file"
                    )
            waiting += part.values()
        elif isinstance(part, list):
            waiting += part


def write_concepts(reference: ReferenceList, path: str | os.PathLike[str], language: str | None) -> None:
    """Write a list as SKOS; see `ReferenceList.save_skos`."""
    rdflib = _rdflib()
    kind = _FORMATS.get(Path(path).suffix.lower())
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

    def said(text: str) -> Any:
        return rdflib.Literal(text, lang=language)

    for place, value in enumerate(reference.values):
        node = nodes[value]
        graph.add((node, rdflib.RDF.type, skos.Concept))
        graph.add((node, skos.prefLabel, said(value)))
        hidden = set(_parts(extra["hidden"][place]))
        for alias in reference.aliases.get(value, ()):
            graph.add((node, skos.hiddenLabel if alias in hidden else skos.altLabel, said(alias)))
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
