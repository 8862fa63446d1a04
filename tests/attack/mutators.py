"""Files as accidents and strangers leave them: bytes, texts, tables, archives and rulebooks, changed at random."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable, Sequence
from functools import partial
from random import Random

import pyarrow as pa

NASTY_TEXTS = (
    "", " ", "\x00", "\x1b[31m", "\x1b]0;x\x07", "\x9b2J", "\u202e", "\u2066", "\u200b", "\ufeff", "\u2028", "\x85",
    "\r", "\n", "\t", '"', '""', "'", "=1+1", "\t=1", "@x", "#", "|", "\\", "%s", "{0}", "{x.__class__}", "../x", "/dev/zero",
    "NaN", "1e999", "9" * 30, "9" * 5000, "-0", "007", "İ", "ß", "ﬁ", "𝒜", "e\u0301", "\U000e0041", "\u3164", "\u2062",
    "_x000D_", "a" * 5000, "😀", "ᄀ", "٣", "\u0600", "true", "1/0", "2024-02-30", "00:00:00", "http://x.example/",
)  # fmt: skip
_NASTY_BYTES = (
    b"\xff", b"\xfe\xff", b"\xff\xfe", b"\xef\xbb\xbf", b"\x00", b"\xed\xa0\x80", b"\xc0\x80", b'"', b"\r", b"\n", b",",
    b"\x1a", b"\xff\xfe\x00\x00", b"\xf8", b"\xfa",
)  # fmt: skip
_REPEATED = (
    b'"', b"'", b"[", b"{", b"(", b"/*", b"*/", b"--", b"<", b"<a", b"<c ", b"<row>", b">", b"\\", b'\\"', b"\n", b"\r", b",", b";", b"#",
    b"=", b".", b" ", b"a", b"oak\n", b"{a}", b"a.", b"a = 1\n", b"[a]\n", b"[[rule]]\n", b"&amp;", b"@", b'"""', b"\xcc\x81", b"\xe2\x80\x8b",
    b"<urn:a> ", b"_:a ", b"1", b"0", b"-", b":", b"|", b"\t", b"e", b"\x00", b"\xff", b"\xe1\x84\x80\xe1\x85\xa1",
)  # fmt: skip
_PATTERNS = (
    "\\1", "(", "[", "a{1001}", "(a{500}){500}", "\\Q", "\\", "(?P<x>a)(?P<x>b)", "[(?P<x>]", "\\b", "^", "$", "a**", "(?<=a)",
    "\\pL", "\\p{Greek}", "(?i)a", "x*", "[^]]", "()", "(?:)", "\\C", "[[:alpha:]]", "(((((((((((a)))))))))))",
)  # fmt: skip
_VALUES = (
    "2000000000", "-1", "0", "9223372036854775808", "-9223372036854775809", "1.5", "nan", "inf", "true", '""', "[]", "{}", '"x"',
    "['a']", "[[[]]]", "{ a = 1 }", "1979-05-27", "500", "501", "'{species}{species}'", "'../x.csv'", "'/etc/passwd'", "'trees.csv'",
)  # fmt: skip


def mutate_bytes(random: Random, content: bytes) -> bytes:
    """Change, cut, double or put in bytes."""
    data = bytearray(content)
    for _ in range(random.choice((1, 1, 1, 2, 5, 20))):
        at = random.randrange(len(data) + 1)
        match random.randrange(6):
            case 0 if data:
                data[at % len(data)] = random.randrange(256)
            case 1:
                data[at:at] = random.choice(_NASTY_BYTES)
            case 2:
                del data[at : at + random.choice((1, 2, 10, 100))]
            case 3:
                data[at:at] = data[at : at + random.choice((1, 10, 200))]
            case 4:
                del data[at:]
            case _:
                data[at:at] = random.choice(NASTY_TEXTS).encode()
    return bytes(data)


def mutate_lines(random: Random, content: bytes) -> bytes:
    """Change a text table by its lines and cells; sometimes by its encoding or its line ends."""
    lines = content.decode("utf-8", "replace").split("\n")
    for _ in range(random.choice((1, 1, 2, 4))):
        at = random.randrange(len(lines))
        cells = lines[at].split(",")
        match random.randrange(8):
            case 0:
                cells[random.randrange(len(cells))] = random.choice(NASTY_TEXTS)
            case 1:
                cells.append(random.choice(NASTY_TEXTS))
            case 2:
                cells.pop()
            case 3:
                cells[random.randrange(len(cells))] = f'"{random.choice(NASTY_TEXTS)}'
            case 4:
                lines.insert(at, "")
            case 5:
                lines.insert(at, lines[0])
            case 6:
                cells = [*cells, *cells]
            case _:
                random.shuffle(cells)
        lines[at] = ",".join(cells)
    text = random.choice(("\n", "\n", "\n", "\r\n", "\r")).join(lines)
    encoding = random.choice(
        ("utf-8",) * 6 + ("utf-8-sig", "utf-16", "utf-32", "cp1252", "utf-16-le", "koi8_r")
    )
    return text.encode(encoding, "replace")


def mutate_archive(random: Random, content: bytes) -> bytes:
    """Change one part of a zipped file and pack it again; or the packed bytes themselves."""
    if random.random() < 0.3:
        return mutate_bytes(random, content)
    with zipfile.ZipFile(io.BytesIO(content)) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    name = random.choice(sorted(parts))
    match random.randrange(6):
        case 0:
            del parts[name]
        case 1:
            parts[name] = re.sub(rb'\br="([A-Z]*)(\d+)"', lambda _: b'r="XFD1048576"', parts[name], count=1)
        case 2:
            parts[name] = re.sub(
                rb"<v>[^<]*</v>", b"<v>99999999999</v>", parts[name], count=random.choice((0, 1))
            )
        case 3:
            parts[name] = re.sub(
                rb">[^<]+<", b">" + random.choice(NASTY_TEXTS).encode() + b"<", parts[name], count=3
            )
        case 4:
            parts[name] = repeat_piece(random, parts[name])
        case _:
            parts[name] = mutate_bytes(random, parts[name])
    packed_again = io.BytesIO()
    with zipfile.ZipFile(
        packed_again, "w", random.choice((zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED, zipfile.ZIP_BZIP2))
    ) as made:
        for part, inside in parts.items():
            made.writestr(part, inside)
    return packed_again.getvalue()


def mutate_rulebook(random: Random, content: bytes) -> bytes:
    """Change a rulebook by its words and values."""
    text = content.decode("utf-8", "replace")
    for _ in range(random.choice((1, 1, 2, 3))):
        places = [*re.finditer(r"(?m)^(\w+) = (.*)$", text)]
        if not places:
            return mutate_bytes(random, content)
        place = random.choice(places)
        given = random.choice(
            (
                random.choice(_VALUES),
                "'" + random.choice(_PATTERNS) + "'",
                '"'
                + random.choice(NASTY_TEXTS)
                .encode("unicode_escape")
                .decode()
                .replace("\\x", "\\u00")
                .replace('"', "")
                + '"',
            )
        )
        match random.randrange(7):
            case 0 | 1 | 2:
                text = text[: place.start(2)] + given + text[place.end(2) :]
            case 3:
                text = (
                    text[: place.start()] + f"{random.choice(places)[1]} = {given}\n" + text[place.start() :]
                )
            case 4:
                text = text[: place.start()] + text[place.end() :]
            case 5:
                deep = "{ not = " * 80 + "{ blank = true }" + " }" * 80
                text = text[: place.start()] + f"when = {deep}\n" + text[place.start() :]
            case _:
                text = text[: place.start()] + ".".join(["a"] * 3000) + " = 1\n" + text[place.start() :]
    return text.encode("utf-8", "replace")


def repeat_piece(random: Random, content: bytes) -> bytes:
    """Put a piece of the file, or an odd one, in so often that a step which grows with a square has no end."""
    at = random.randrange(len(content) + 1)
    piece = b"".join(
        random.choice(
            (
                content[at : at + random.randrange(1, 12)],
                random.choice(NASTY_TEXTS)[:4].encode(),
                random.choice(_REPEATED),
            )
        )
        for _ in range(random.choice((1, 1, 2, 3)))
    )
    times = random.choice((30_000, 300_000, 1_000_000)) // max(1, len(piece))
    return content[:at] + piece * times + content[random.choice((at, at, len(content))) :]


Mutator = Callable[[Random, bytes], bytes]


def change_packed(packing: str, mutators: Sequence[Mutator]) -> list[Mutator]:
    """The same changes to what a compressed file holds."""

    def change(mutate: Mutator, random: Random, content: bytes) -> bytes:
        with pa.input_stream(pa.BufferReader(content), compression=packing) as given:
            unpacked = given.read()
        made = pa.BufferOutputStream()
        with pa.output_stream(made, compression=packing) as file:
            file.write(mutate(random, unpacked))
        packed: bytes = made.getvalue().to_pybytes()
        return packed

    return [partial(change, mutate) for mutate in mutators]
