"""What a model makes of one request: which rules it hears, and what slips.

Obedience is a probability. A rule is heard with the chance

    σ( ln(o / (1 − o)) − 0.5·temperature − 0.06·(rules − 1) − 0.3·log₂(1 + d / 300)
       + ease − 1.5·[contradicted] + 1.6·e )

where o is the model's obedience, `ease` how plain the rule is (below 0 for vague ones), d the tokens
that follow the rule in the request, and e the share of the worked examples that show it (a rule that
every example breaks is contradicted).

Luck is partly the text's own. With a and b standard normal, a always the same for this text and this
question (and for every model: some texts are hard for all), b drawn anew with each answer,

    u = Φ(√r·a + √(1 − r)·b),   r = 1 / (1 + 20·temperature)

is uniform over texts, and something of chance c happens when u < c. So repeats of a case agree more
than answers to different cases do, and at temperature 0 nothing is left to the draw.
"""

from __future__ import annotations

import hashlib
import random
from math import exp, log, log2, sqrt
from statistics import NormalDist

from epistem.standin.profiles import Profile
from epistem.standin.request import Request
from epistem.standin.rule import Rule
from epistem.standin.sampler import Settings, cut_to

_NORMAL = NormalDist()


class Mind:
    """`key` seeds the draws of this one answer."""

    def __init__(self, model: Profile, request: Request, settings: Settings, key: str) -> None:
        self.model = model
        self.request = request
        self.settings = settings
        self.key = key
        self._own = f"{request.text}\0{request.told}"

    def luck(self, what: str) -> float:
        """Uniform in 0–1 over texts and draws, one number for each question."""
        share = 1 / (1 + 20 * self.settings.temperature)
        a = _NORMAL.inv_cdf(_uniform(self._own, what))
        b = _NORMAL.inv_cdf(_uniform(self.key, what)) if share < 1 else 0.0
        return _NORMAL.cdf(sqrt(share) * a + sqrt(1 - share) * b)

    def happens(self, chance: float, what: str) -> bool:
        """Something of this chance, which `top_p` rules out when it is in the tail that it cuts."""
        yes, _ = (
            cut_to([chance, 1 - chance], self.settings.top_p) if 0 < chance < 1 else (chance, 0)
        )
        return self.luck(what) < yes

    def slips(self, what: str, *, shown: bool = False, times: float = 1.0) -> bool:
        """A careless mistake: rarer where examples show how, likelier in heat and among many rules."""
        chance = (
            self.model.slips * (0.3 if shown else 1.0) * (0.7 + 0.5 * self.settings.temperature)
        )
        return self.happens(min(0.9, chance * times), what)

    def own(self, *what: str) -> float:
        """Uniform in 0–1, always the same for this model, text and question."""
        return _uniform(self.model.name, self._own, *what)

    def misreads(self, what: str) -> float:
        """A fixed error about this text, normal with the model's spread."""
        return self.model.misreading * _NORMAL.inv_cdf(self.own(what))

    def chance(self, rule: Rule, rules: int) -> float:
        """That it follows this rule, one of so many."""
        o = min(max(self.model.obedience, 0.01), 0.99)
        heard = log(o / (1 - o)) - 0.5 * self.settings.temperature - 0.06 * (rules - 1)
        heard -= 0.3 * log2(1 + rule.distance / 300)
        heard += rule.ease - 1.5 * rule.contradicted
        return 1 / (1 + exp(-heard - 1.6 * rule.shown))

    def hears(self, rule: Rule, rules: int) -> bool:
        return self.luck(f"rule {rule.name} {rule.value}") < self.chance(rule, rules)


def _uniform(*parts: str) -> float:
    """In the open interval 0–1, from a hash."""
    whole = "\0".join(parts).encode("utf-8", "replace")
    number = int.from_bytes(hashlib.blake2b(whole, digest_size=7).digest(), "big")
    return (number + 0.5) / 2**56


def rng_of(key: str) -> random.Random:
    return random.Random(key)
