"""What is said for a section's name and for a count, in the language of the cue voice (rule Q5)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

COUNTS = (
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
    "thirteen",
    "fourteen",
    "fifteen",
    "sixteen",
)

# Counted aloud to sixteen, as musicians of the language count.
_COUNTS: dict[str, tuple[str, ...]] = {
    "en": COUNTS,
    "es": (
        "uno",
        "dos",
        "tres",
        "cuatro",
        "cinco",
        "seis",
        "siete",
        "ocho",
        "nueve",
        "diez",
        "once",
        "doce",
        "trece",
        "catorce",
        "quince",
        "dieciséis",
    ),
    "pt": (
        "um",
        "dois",
        "três",
        "quatro",
        "cinco",
        "seis",
        "sete",
        "oito",
        "nove",
        "dez",
        "onze",
        "doze",
        "treze",
        "catorze",
        "quinze",
        "dezasseis",
    ),
    "fr": (
        "un",
        "deux",
        "trois",
        "quatre",
        "cinq",
        "six",
        "sept",
        "huit",
        "neuf",
        "dix",
        "onze",
        "douze",
        "treize",
        "quatorze",
        "quinze",
        "seize",
    ),
    "de": (
        "eins",
        "zwei",
        "drei",
        "vier",
        "fünf",
        "sechs",
        "sieben",
        "acht",
        "neun",
        "zehn",
        "elf",
        "zwölf",
        "dreizehn",
        "vierzehn",
        "fünfzehn",
        "sechzehn",
    ),
    "uk": (
        "раз",
        "два",
        "три",
        "чотири",
        "п'ять",
        "шість",
        "сім",
        "вісім",
        "дев'ять",
        "десять",
        "одинадцять",
        "дванадцять",
        "тринадцять",
        "чотирнадцять",
        "п'ятнадцять",
        "шістнадцять",
    ),
    "ko": (
        "하나",
        "둘",
        "셋",
        "넷",
        "다섯",
        "여섯",
        "일곱",
        "여덟",
        "아홉",
        "열",
        "열하나",
        "열둘",
        "열셋",
        "열넷",
        "열다섯",
        "열여섯",
    ),
    "sw": (
        "moja",
        "mbili",
        "tatu",
        "nne",
        "tano",
        "sita",
        "saba",
        "nane",
        "tisa",
        "kumi",
        "kumi na moja",
        "kumi na mbili",
        "kumi na tatu",
        "kumi na nne",
        "kumi na tano",
        "kumi na sita",
    ),
}

#: The usual names of sections, as they are written in English.
NAMES = (
    "Intro",
    "Verse",
    "Pre-chorus",
    "Chorus",
    "Last chorus",
    "Refrain",
    "Bridge",
    "Middle eight",
    "Solo",
    "Interlude",
    "Instrumental",
    "Breakdown",
    "Build",
    "Drop",
    "Lift",
    "Break",
    "Theme",
    "Vamp",
    "Turnaround",
    "Tag",
    "Coda",
    "Ending",
    "Outro",
)
_NAMES: dict[str, tuple[str, ...]] = {
    "en": NAMES,
    "es": (
        "introducción",
        "estrofa",
        "preestribillo",
        "estribillo",
        "último estribillo",
        "refrán",
        "puente",
        "puente de ocho",
        "solo",
        "interludio",
        "instrumental",
        "bajada",
        "subida",
        "caída",
        "subida",
        "corte",
        "tema",
        "vamp",
        "vuelta",
        "coletilla",
        "coda",
        "final",
        "salida",
    ),
    "pt": (
        "introdução",
        "verso",
        "pré-refrão",
        "refrão",
        "último refrão",
        "refrão",
        "ponte",
        "ponte de oito",
        "solo",
        "interlúdio",
        "instrumental",
        "quebra",
        "subida",
        "queda",
        "subida",
        "pausa",
        "tema",
        "vamp",
        "volta",
        "repetição",
        "coda",
        "final",
        "saída",
    ),
    "fr": (
        "intro",
        "couplet",
        "pré-refrain",
        "refrain",
        "dernier refrain",
        "refrain",
        "pont",
        "pont de huit",
        "solo",
        "interlude",
        "instrumental",
        "creux",
        "montée",
        "chute",
        "montée",
        "break",
        "thème",
        "boucle",
        "retour",
        "rappel",
        "coda",
        "fin",
        "sortie",
    ),
    "de": (
        "Intro",
        "Strophe",
        "Vorrefrain",
        "Refrain",
        "letzter Refrain",
        "Kehrreim",
        "Brücke",
        "Mittelteil",
        "Solo",
        "Zwischenspiel",
        "Instrumental",
        "Pause",
        "Steigerung",
        "Einsatz",
        "Steigerung",
        "Break",
        "Thema",
        "Schleife",
        "Überleitung",
        "Anhang",
        "Coda",
        "Schluss",
        "Ausklang",
    ),
    "uk": (
        "вступ",
        "куплет",
        "передприспів",
        "приспів",
        "останній приспів",
        "рефрен",
        "бридж",
        "середина",
        "соло",
        "інтерлюдія",
        "інструментал",
        "спад",
        "підйом",
        "дроп",
        "підйом",
        "брейк",
        "тема",
        "петля",
        "повернення",
        "повтор",
        "кода",
        "фінал",
        "кінцівка",
    ),
    "ko": (
        "인트로",
        "벌스",
        "프리코러스",
        "코러스",
        "마지막 코러스",
        "후렴",
        "브리지",
        "미들 에이트",
        "솔로",
        "간주",
        "연주",
        "브레이크다운",
        "빌드업",
        "드롭",
        "리프트",
        "브레이크",
        "테마",
        "뱀프",
        "턴어라운드",
        "태그",
        "코다",
        "엔딩",
        "아웃트로",
    ),
    "sw": (
        "utangulizi",
        "ubeti",
        "kabla ya kiitikio",
        "kiitikio",
        "kiitikio cha mwisho",
        "mkarara",
        "daraja",
        "daraja la nane",
        "solo",
        "kipengele cha kati",
        "ala tupu",
        "utulivu",
        "kupanda",
        "kushuka",
        "kupanda",
        "mapumziko",
        "dhamira",
        "kurudia",
        "mrejeo",
        "nyongeza",
        "koda",
        "mwisho",
        "hitimisho",
    ),
}
LANGUAGES = tuple(_COUNTS)
# Written otherwise by some.
_SAME = {
    "prechorus": "Pre-chorus",
    "pre chorus": "Pre-chorus",
    "final chorus": "Last chorus",
    "introduction": "Intro",
    "middle 8": "Middle eight",
    "end": "Ending",
    "inst": "Instrumental",
}
_NUMBERED = re.compile(r"(.+?)[\s_-]*(\d{1,2})")


@dataclass(frozen=True)
class Wording:
    """How one language says what a song has written. ``names``: English name, case folded, to what is
    said; ``words``: what a band says for a name or a count word instead, by what would be said."""

    counts: tuple[str, ...] = COUNTS
    names: Mapping[str, str] = field(default_factory=dict)
    words: Mapping[str, str] = field(default_factory=dict)

    def said(self, text: str) -> str:
        """The words for a text, which the band may have put others for."""
        return self.words.get(text.strip().casefold(), text.strip())

    def name(self, written: str) -> str:
        """The words for a section's name: a usual one in the voice's language, with its number; any other as it is written."""
        plain = " ".join(written.split())
        own = self.words.get(plain.casefold())
        if own:
            return own
        base, number = self._usual(plain), ""
        if base is None and (numbered := _NUMBERED.fullmatch(plain)):
            base, number = self._usual(numbered[1]), self._number(int(numbered[2]))
        if base is None:
            return plain
        return self.said(f"{base} {number}".strip())

    def _usual(self, name: str) -> str | None:
        folded = name.casefold()
        own = self.words.get(folded)
        if own:
            return own
        said = self.names.get(_SAME.get(folded, name).casefold())
        return None if said is None else self.said(said)

    def _number(self, n: int) -> str:
        return self.counts[n - 1] if 1 <= n <= len(self.counts) else str(n)


def wording(language: str, words: Mapping[str, str] | None = None) -> Wording:
    """The wording of a language by its tag (``es``, ``pt-br``); names as they are written where it is none of :data:`LANGUAGES`.

    ``words``: what is said instead, by English name or count word or by what would be said. In a
    language without counts of ours they are numerals, which the speech engine reads out.
    """
    base = language.casefold().split("-")[0]
    counts = _COUNTS.get(base, tuple(str(n) for n in range(1, 17)))
    said = {key.strip().casefold(): text.strip() for key, text in (words or {}).items() if text.strip()}
    names = (
        {name.casefold(): text for name, text in zip(NAMES, _NAMES.get(base, NAMES), strict=True)}
        if base != "en"
        else {name.casefold(): name for name in NAMES}
    )
    counts = tuple(
        said.get(english, said.get(own.casefold(), own)) for english, own in zip(COUNTS, counts, strict=True)
    )
    return Wording(counts, names, said)


ENGLISH = wording("en")
