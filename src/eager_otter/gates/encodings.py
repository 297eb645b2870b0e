"""Detect Western European text that is not UTF-8; any other encoding is asked for, as no program can tell it."""

from __future__ import annotations

from eager_otter.dataclass import dataclass
from eager_otter.patterns import pattern

WESTERN = "cp1252"
LETTERS = "àáâãäåæçèéêëìíîïñòóôõöøùúûüßœšžÀÁÂÃÄÅÆÇÈÉÊËÌÍÎÏÑÒÓÔÕÖØÙÚÛÜŒŠŽ"  # of Western European languages
SIGNS = "“”„‘’‚‹›«»–—…•·°§€£¥¢©®™¡¿ªº½¼¾±×÷²³µ´`¨¸¯¶\xa0\xad¹"
USUAL = "cp1251 (Cyrillic), cp1250 (Central European), cp1253 (Greek), cp1254 (Turkish), shift_jis, gb18030"
_STRANGE = pattern(f"[^\x00-\x7f{LETTERS}{SIGNS}]")
_RUN = pattern(f"[{LETTERS}{SIGNS.replace('-', '')}]{{4,}}")  # letters beyond ASCII come one or two at a time
_SIGN_INSIDE = pattern(
    f"[A-Za-z{LETTERS}][“”„‚‹›«»…•°§€£¥¢©®™¡¿½¼¾±×÷²³µ¨¸¯¶¹][a-z{LETTERS.split('À', maxsplit=1)[0]}]"
)
MIXED = (("øØ", "èìùòÈÌÙÒ"), ("õÕ", "öüÖÜ"))  # never in one language: Czech and Hungarian letters read so
ENOUGH = 24  # letters beyond ASCII from which the language can be looked at
NEARER = 0.08  # by so much more does another encoding look like a language


@dataclass(frozen=True, slots=True)
class NotWestern:
    """Why a text is not taken for Western European: what it would read as, and an encoding that it may have, or ""."""

    example: str
    maybe: str


def not_western(content: bytes) -> NotWestern | None:
    """Look at bytes that are not UTF-8: None where they are Western European text (Windows-1252)."""
    lines = [line for line in content.splitlines() if not line.isascii()]
    sample = b"\n".join(lines)[:200_000]
    text = sample.decode(WESTERN, "replace")
    odd = _STRANGE.search(text) or _RUN.search(text) or _SIGN_INSIDE.search(text)
    maybe = _guessed(sample)
    if odd is None and not _mixed(text) and not _reads_better(sample, text):
        return None
    start = max((odd.start() if odd else _first_high(text)) - 12, 0)
    example = " ".join(text[start : start + 30].split())
    return NotWestern(example, maybe)


def _mixed(text: str) -> bool:
    return any(any(c in text for c in one) and any(c in text for c in other) for one, other in MIXED)


def _first_high(text: str) -> int:
    return next((k for k, character in enumerate(text) if not character.isascii()), 0)


def _guessed(sample: bytes) -> str:
    from charset_normalizer import from_bytes

    if sum(byte > 127 for byte in sample) < ENOUGH:
        return ""
    best = from_bytes(sample).best()
    if (
        best is None
        or best.encoding.startswith(("utf_16", "utf_32"))
        or str(best) == sample.decode(WESTERN, "replace")
    ):
        return ""
    return best.encoding


def _reads_better(sample: bytes, text: str) -> bool:
    """Return whether a sample of some length reads more like a language in another encoding, with other characters."""
    from charset_normalizer import from_bytes

    if sum(not character.isascii() for character in text) < ENOUGH:
        return False
    matches = list(from_bytes(sample))
    western = max((one.coherence for one in matches if str(one) == text), default=0.0)
    others = [one.coherence for one in matches if str(one) != text and one.chaos < 0.1]
    return max(others, default=0.0) > western + NEARER
