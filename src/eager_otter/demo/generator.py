"""Make the demo's responses: everybody in them is invented by a seeded generator.

Only uniform random numbers are drawn, so the same seed gives the same survey under every NumPy version.
There is structure to find: segments that differ, a brand that grows between the waves, a concept that
convinces some of those who read about it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray

SEED = 20_260_301
PER_WAVE = 1_200
BRANDS = 8
NOBODY = 97
TextColumn = list[str]
Columns = dict[str, TextColumn]
Logit = npt.NDArray[Any] | float


class _Draws:
    """Random numbers for a fixed number of respondents."""

    def __init__(self, seed: int, respondents: int) -> None:
        self._rng = np.random.Generator(np.random.PCG64(seed))
        self.respondents = respondents

    def uniform(self) -> FloatArray:
        return self._rng.random(self.respondents)

    def normal(self) -> FloatArray:
        """Draw standard normal values, each from two uniforms (Box and Muller 1958)."""
        radius = np.sqrt(-2.0 * np.log1p(-self.uniform()))
        return np.asarray(radius * np.cos(2.0 * np.pi * self.uniform()))

    def yes_to_each(self, logits: Sequence[Logit]) -> BoolArray:
        """Say yes or no to several things: (things, respondents)."""
        return np.array([self.yes(np.broadcast_to(logit, self.respondents)) for logit in logits])

    def yes(self, logit: Logit) -> BoolArray:
        """Say yes with the probability of a logit."""
        return np.asarray(self.uniform() < 1.0 / (1.0 + np.exp(-np.asarray(logit))))

    def pick(self, shares: Sequence[float] | FloatArray) -> IntArray:
        """Pick 0, 1 … by shares: one list for all, or one row per respondent."""
        table = np.atleast_2d(np.asarray(shares, np.float64))
        cumulated = np.cumsum(table, axis=1) / table.sum(axis=1, keepdims=True)
        return np.asarray((self.uniform()[:, None] > cumulated).sum(axis=1)).clip(0, table.shape[1] - 1)

    def score(self, centre: FloatArray | float, spread: float, low: int, high: int) -> IntArray:
        """Answer a scale: a normal value, rounded and kept within the scale."""
        return np.asarray(np.rint(centre + spread * self.normal()).clip(low, high), np.int64)


def responses(seed: int = SEED, per_wave: int = PER_WAVE) -> Columns:
    """Make all columns of the demo survey as text, in the order of the file; "" where there is no answer."""
    return _Interview(seed, 2 * per_wave).columns()


class _Interview:
    """All respondents answering the questionnaire, question by question."""

    def __init__(self, seed: int, respondents: int) -> None:
        self.draw = _Draws(seed, respondents)
        self.n = respondents
        self.out: Columns = {}

    def columns(self) -> Columns:
        self._profile()
        self._brands()
        self._drinking()
        self._attitudes()
        self._new_drink()
        self._recommendation()
        self._break_off()
        return self.out

    # --- writing ----------------------------------------------------------------------------------------

    def put(self, name: str, values: IntArray | FloatArray, given: BoolArray | None = None) -> None:
        """Write a column of numbers, blank where not given."""
        texts = [format(float(value), ".15g") for value in values]
        self.out[name] = (
            texts if given is None else [t if g else "" for t, g in zip(texts, given, strict=True)]
        )

    def put_ticks(self, names: Sequence[str], ticks: BoolArray, given: BoolArray, no: str) -> None:
        for name, tick in zip(names, ticks, strict=True):
            self.out[name] = ["" if not g else "1" if t else no for t, g in zip(tick, given, strict=True)]

    def put_joined(self, name: str, codes: Sequence[int], ticks: BoolArray, given: BoolArray) -> None:
        self.out[name] = [
            ";".join(str(code) for code, tick in zip(codes, row, strict=True) if tick) if g else ""
            for row, g in zip(ticks.T, given, strict=True)
        ]

    def put_mentions(
        self, names: Sequence[str], codes: Sequence[int], ticks: BoolArray, given: BoolArray
    ) -> None:
        """Write ticked codes in a random order, one a column, as far as the columns reach."""
        order = np.argsort(np.array([self.draw.uniform() for _ in codes]), axis=0)
        lists = [
            [str(codes[k]) for k in order[:, i] if ticks[k, i]][: len(names)] if given[i] else []
            for i in range(self.n)
        ]
        for place, name in enumerate(names):
            self.out[name] = [mentions[place] if place < len(mentions) else "" for mentions in lists]

    # --- questions --------------------------------------------------------------------------------------

    def _profile(self) -> None:
        draw, n = self.draw, self.n
        half = n // 2
        self.wave = np.where(np.arange(n) < half, 1, 2)
        self.out["rid"] = [str(1000 + k) for k in range(1, n + 1)]
        self.put("wave", self.wave)
        self.out["day"] = self._days()
        self.status = np.where(draw.yes(-3.4), 2, 1)
        self.put("status", self.status)
        self.put("minutes", np.rint(np.exp(2.75 + 0.3 * draw.normal())).clip(5, 120))
        self.region = draw.pick([0.31, 0.22, 0.29, 0.18]) + 1
        self.put("region", self.region)
        settlement = draw.pick([0.38, 0.37, 0.25]) + 1
        self.put("settlement", settlement)
        self.gender = np.array([1, 2, 3, 9])[draw.pick([0.535, 0.443, 0.008, 0.014])]
        self.put("gender", self.gender)
        self.age = np.rint(16 + 66 * draw.uniform() ** 0.9 + 3 * draw.normal()).clip(16, 90)
        self.put("age", self.age, draw.uniform() > 0.006)
        household = draw.pick([0.24, 0.34, 0.18, 0.16, 0.08]) + 1
        self.put("household", household)
        at_home = draw.yes(-2.6 + 0.9 * (household - 1) - 0.04 * np.abs(self.age - 38))
        self.put("children", np.where(at_home, 1, 2), household >= 2)
        self.income = draw.score(2.4 + 0.25 * household + 0.3 * (settlement == 1), 1.1, 1, 5)
        refusal = draw.uniform()
        self.put("income", np.where(refusal < 0.12, 98, np.where(refusal < 0.16, 99, self.income)))
        self.put("sport", draw.pick([0.28, 0.22, 0.3, 0.2]) + 1)
        diet = draw.yes_to_each((0.1, -1.0, -0.5, -1.4, -1.1))
        self.put_joined(
            "diet", [1, 2, 3, 4, 5, NOBODY], np.vstack([diet, ~diet.any(axis=0)]), np.ones(n, np.bool_)
        )
        young = (self.age < 35).astype(np.float64)
        self.affinity = (
            0.25 * young + 0.15 * (self.income - 3) + 0.3 * (self.region == 3) - 0.2 * (settlement == 3)
        ) + 0.8 * draw.normal()

    def _days(self) -> TextColumn:
        starts = np.where(self.wave == 1, np.datetime64("2026-03-02"), np.datetime64("2026-09-07"))
        return [str(day) for day in starts + np.floor(self.draw.uniform() * 21).astype("timedelta64[D]")]

    def _brand_logits(self, levels: Sequence[float]) -> list[FloatArray]:
        """Give each brand its level, its own region and age, and Tarn its growth in the second wave."""
        young, old = self.age < 35, self.age >= 55
        second = (self.wave == 2).astype(np.float64)
        logits = [np.full(self.n, level) for level in levels]
        logits[0] = logits[0] + 0.55 * second + 0.35 * (self.region == 1)
        logits[1] = logits[1] + 0.30 * old
        logits[2] = logits[2] + 0.70 * young - 0.10 * second
        logits[3] = logits[3] - 0.40 * second + 0.2 * (self.gender == 2)
        logits[4] = logits[4] + 1.10 * (self.region == 4)
        logits[5] = logits[5] + 0.80 * (self.region == 2)
        return [logit + 0.35 * self.affinity for logit in logits]

    def _brands(self) -> None:
        draw = self.draw
        everyone = np.ones(self.n, np.bool_)
        heard = draw.yes_to_each(self._brand_logits([1.1, 0.9, 0.1, 0.0, -0.9, -1.1, -1.5, -2.0]))
        self._named(heard)
        none = ~np.logical_or.reduce(heard)
        names = [f"heard_{k}" for k in range(1, BRANDS + 1)]
        self.put_ticks([*names, f"heard_{NOBODY}"], np.vstack([heard, none]), everyone, "0")
        asked: BoolArray = ~none
        ever = draw.yes_to_each(self._brand_logits([0.4, 0.3, -0.1, -0.2, -0.3, -0.3, -0.6, -0.6])) & heard
        names = [f"ever_{k}" for k in range(1, BRANDS + 1)]
        self.put_ticks([*names, f"ever_{NOBODY}"], np.vstack([ever, ~ever.any(axis=0)]), asked, "2")
        asked = np.logical_and(asked, np.logical_or.reduce(ever))
        month = draw.yes_to_each(self._brand_logits([0.2, 0.0, 0.0, -0.4, -0.2, -0.2, -0.4, -0.4])) & ever
        names = [f"month_{k}" for k in range(1, BRANDS + 1)]
        self.put_ticks(
            [*names, f"month_{NOBODY}"], np.vstack([month, ~np.logical_or.reduce(month)]), asked, "0"
        )
        self.month, self.asked_usual = month, np.logical_and(asked, np.logical_or.reduce(month))
        liking = np.where(month, np.array([draw.uniform() for _ in range(BRANDS)]), 0.0)
        self.usual = np.where(draw.yes(-2.0), 90, liking.argmax(axis=0) + 1)
        self.put("usual", self.usual, self.asked_usual)
        second = (self.wave == 2).astype(np.float64)
        ads = [0.9 * second - 0.6, np.full(self.n, -0.5), -0.9 + 0.4 * (self.age < 35), -1.2 - 0.5 * second]
        seen = draw.yes_to_each([*ads, -2.2])
        self.put_joined("ads", [1, 2, 3, 4, 5, NOBODY], np.vstack([seen, ~seen.any(axis=0)]), everyone)
        strength = np.array([draw.uniform() + heard[k] + 0.5 * month[k] for k in range(5)])
        order = np.argsort(-strength, axis=0) + 1
        for rank in range(3):
            self.put(f"pref_{rank + 1}", order[rank], draw.uniform() > 0.02 + 0.1 * rank)
        for k, level in enumerate((3.7, 3.5, 3.6, 3.2)):
            rate = draw.score(
                level + 0.25 * self.affinity + 0.4 * month[k] + 0.1 * (k == 0) * second, 0.9, 1, 5
            )
            self.put(f"rate_{k + 1}", np.where(heard[k] & (draw.uniform() > 0.05), rate, 9))

    def _named(self, heard: BoolArray) -> None:
        recall = [0.6, 0.4, -0.4, -0.5, -0.9, -1.0, -1.3, -1.3]
        named = heard & np.array([self.draw.yes(level + 0.3 * self.affinity) for level in recall])
        other = self.draw.yes(-2.3)
        none = ~named.any(axis=0) & ~other
        codes = [*range(1, BRANDS + 1), 96, NOBODY]
        self.put_mentions(
            [f"named_{k}" for k in range(1, 5)],
            codes,
            np.vstack([named, other, none]),
            np.ones(self.n, np.bool_),
        )

    def _drinking(self) -> None:
        draw = self.draw
        used = np.logical_or.reduce(self.month)
        days = np.rint(np.exp(1.5 + 0.5 * self.affinity + 0.7 * draw.normal())).clip(1, 30)
        self.times = np.where(used, days, np.where(draw.yes(-1.2), np.rint(1 + 2 * draw.uniform()), 0))
        self.put("times", self.times, draw.uniform() > 0.012)
        drinks = np.array([text not in ("", "0") for text in self.out["times"]])
        spend = np.round(self.times * np.exp(0.1 + 0.15 * self.income + 0.5 * draw.normal()) * 0.9, 2)
        spend = np.where(draw.uniform() < 0.003, spend * 12, spend)  # a few who spend far more than others
        self.put("spend", np.where(draw.uniform() < 0.06, 999, spend.clip(0.5, 900)), drinks)
        places: list[Logit] = [
            1.3,
            -0.9 + 0.6 * (self.age < 35),
            -0.8 + 0.5 * (self.age >= 55),
            -1.9,
            -1.7 + 0.8 * (self.age < 35),
        ]
        bought = draw.yes_to_each([*places, -1.1, -3.4])
        self.put_joined(
            "bought", [1, 2, 3, 4, 5, 6, 96, 97], np.vstack([bought, ~bought.any(axis=0)]), drinks
        )
        when: list[Logit] = [
            0.7,
            0.1,
            -0.5,
            -0.4 + 0.5 * (self.age < 35),
            -1.2,
            -0.3,
            -0.6 + 0.3 * (self.age >= 55),
        ]
        occasions = draw.yes_to_each([level + 0.4 * self.affinity for level in when])
        self.put_ticks([f"occ_{k}" for k in range(1, 8)], occasions, drinks, "0")
        why = draw.yes_to_each((0.5, 0.2, -0.2 + 0.3 * (self.gender == 1), -1.3, -0.9, -1.4, -1.9, -2.4))
        why[7] |= ~np.logical_or.reduce(why)
        self.put_mentions(["why_1", "why_2", "why_3"], [1, 2, 3, 4, 5, 6, 7, 96], why, drinks)
        pack = np.array([1, 2, 3, 4, 5, 9])[draw.pick([0.24, 0.36, 0.13, 0.08, 0.16, 0.03])]
        self.put("pack", pack, drinks)
        tastes = [0.6, 0.5, -0.1, -0.7, -0.2, -0.9, -0.6, -1.6, -1.3, -1.5]
        flavours = np.array([draw.yes(x + 0.3 * (self.age < 35) * (k > 0)) for k, x in enumerate(tastes)])
        flavours &= ~draw.yes(-2.6)
        names = [f"fla_{k}" for k in range(1, 11)]
        ticks = np.vstack([flavours, ~flavours.any(axis=0)])
        self.put_ticks([*names, f"fla_{NOBODY}"], ticks, np.ones(self.n, np.bool_), "0")
        self.put("who_buys", draw.pick([0.5, 0.3, 0.2]) + 1)
        self.put("tap", draw.pick([0.55, 0.2, 0.15, 0.1]) + 1)
        glasses = np.rint(np.exp(1.2 - 0.3 * self.affinity + 0.8 * draw.normal())).clip(0, 60)
        self.put("soft_drinks", np.where(draw.yes(-1.5), 0, glasses), draw.uniform() > 0.015)
        self.put("carrier", draw.pick([0.3, 0.2, 0.2, 0.18, 0.12]) + 1)
        price = np.round(0.55 + 0.12 * self.income + 0.1 * self.affinity + 0.25 * draw.normal(), 1).clip(
            0.2, 4
        )
        self.put("price_fair", price, draw.uniform() > 0.04)

    def _attitudes(self) -> None:
        centres = (3.9, 2.7, 4.0, 3.0, 3.7, 3.4, 2.9, 3.1, 3.2, 3.1, 2.6, 3.6)
        slopes = (0.4, 0.5, 0.3, 0.2, -0.1, -0.2, -0.3, 0.0, 0.4, 0.3, -0.1, 0.1)
        for k, (centre, slope) in enumerate(zip(centres, slopes, strict=True), 1):
            level = (
                centre
                + slope * self.affinity
                + 0.3 * (self.age < 35) * (k == 10)
                + 0.3 * (self.region == 4) * (k == 8)
            )
            answer = self.draw.score(level, 1.05, 1, 5)
            self.put(f"st_{k}", np.where(self.draw.uniform() < 0.02, 9, answer))

    def _new_drink(self) -> None:
        draw = self.draw
        before = draw.score(2.5 + 0.35 * self.affinity, 1.1, 1, 5)
        self.put("intent_before", before)
        liking = draw.score(3.3 + 0.4 * self.affinity + 0.35 * (self.age < 35), 1.0, 1, 5)
        self.put("liking", liking)
        after = draw.score(0.55 * before + 0.45 * liking + 0.15, 0.7, 1, 5)
        self.put("intent_after", after)
        self.put("different", draw.score(2.5 + 0.1 * self.affinity, 0.8, 1, 4))
        wordings = (
            "It sounds fresh",
            "Something new",
            "Not too sweet",
            "I like herbs",
            "Good for summer, light",
            "",
        )
        chosen = draw.pick([0.2, 0.15, 0.15, 0.1, 0.1, 0.3])
        self.out["likes_open"] = [
            wordings[k] if like >= 3 else "" for k, like in zip(chosen, liking, strict=True)
        ]

    def _recommendation(self) -> None:
        draw = self.draw
        asked = self.asked_usual & (self.usual <= BRANDS)
        strong = np.isin(self.usual, (1, 3)).astype(np.float64)
        self.put("recommend", draw.score(7.2 + 0.7 * strong + 0.5 * self.affinity, 2.2, 0, 10), asked)
        levels = (
            -0.9 + 0.02 * (self.age - 45),
            -1.3,
            0.1 + 0.015 * (self.age - 45),
            -0.6,
            0.2,
            -0.1,
            0.3 - 0.03 * (self.age - 45),
        )
        media = draw.yes_to_each(levels)
        codes = [1, 2, 3, 4, 5, 6, 7, NOBODY]
        self.put_joined("media", codes, np.vstack([media, ~media.any(axis=0)]), np.ones(self.n, np.bool_))
        self.put("again", np.where(draw.yes(1.1), 1, 2))
        self.put("wt", self._weight())

    def _weight(self) -> FloatArray:
        """Weight women, the young and the regions to round shares, with some unevenness left; mean 1."""
        by_gender = np.where(self.gender == 1, 0.93, 1.08)
        by_age = np.where(self.age < 25, 1.35, np.where(self.age < 55, 1.0, 0.92))
        by_region = np.array([0.88, 1.1, 0.95, 1.2])[self.region - 1]
        weight = by_gender * by_age * by_region * np.exp(0.22 * self.draw.normal())
        return np.asarray(np.round(weight / weight.mean(), 4))

    def _break_off(self) -> None:
        """Blank everything after the question at which an unfinished interview broke off."""
        names = [name for name in self.out if name not in ("wt", "status", "minutes")]
        first = names.index("named_1")
        where = first + np.floor(self.draw.uniform() * (len(names) - first - 1)).astype(int)
        for k in np.flatnonzero(self.status == 2):
            for name in names[where[k] :]:
                self.out[name][k] = ""


def as_rows(columns: Columns) -> list[list[str]]:
    """Turn columns into rows with a header."""
    return [list(columns), *map(list, zip(*columns.values(), strict=True))]
