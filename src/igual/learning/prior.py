"""How simple a chain of rules is, and how well it has to suit the column: the numbers that `learn` goes by.

Costs are natural logarithms: a chain that costs 1 more is 2.7 times less likely to be what is meant. What
steps cost was set by hand; BY_RULE and WEIGHTS were fitted to the tuned tasks of `tests/learning`, by
`python -m benchmarks.learning fit`.
"""

from __future__ import annotations

from typing import NamedTuple

# What a step costs by what it does.
STEP = {
    "spacing": 1.0,
    "no spaces": 1.4,
    "case": 1.0,
    "case, identifiers": 2.3,
    "case, names": 1.4,
    "keep": 1.4,
    "drop": 1.2,
    "fold": 1.0,
    "straighten": 1.0,
    "replace": 1.2,
    "replace one place": 1.8,
    "remove": 1.4,
    "replace words": 2.0,
    "add": 1.0,
    "part": 1.0,
    "bracketed": 1.0,
    "run": 1.5,
    "shape": 1.6,
    "first or last": 1.6,
    "cut off": 1.6,
    "before or after": 1.5,
    "between": 2.2,
    "beside a word": 2.0,
    "words": 1.8,
    "overlay": 2.4,
    "pad": 1.2,
    "zeros": 1.2,
    "initials": 1.3,
    "rearrange": 1.6,
    "number": 1.0,
    "date": 1.0,
    "fill": 1.0,
    "compose": 1.0,
    "condition": 2.0,
    "pairs": 9.0,
}
# What each rule costs besides: fitted.
BY_RULE = {
    "spacing": -0.01,
    "case": -0.03,
    "characters": 0.03,
    "replace": -0.03,
    "overlay": 0.12,
    "part": -0.06,
    "extract": 0.1,
    "pad": -0.01,
    "number": -0.03,
    "date": -0.01,
}
# Each place further from an end, such as the third part.
PER_PLACE = 0.4
# Each character that a rule names: punctuation, and letters or digits.
PER_MARK, PER_LETTER = 0.25, 0.5
# Each text that a rule puts in of itself: the first letter or digit of a word, and each further one.
OWN_WORD, OWN_LETTER = 1.4, 0.5
# Each such word that stands in the example's value, within a word of it, or as an initial: it is more likely to come
# from there.
BORROWED_WORD, BORROWED_PART, BORROWED_INITIAL = 2.5, 2.0, 1.0
# Each piece of a value that is put elsewhere.
PER_PIECE = 0.7
# Each condition on which characters are kept, beyond the first.
PER_KIND = 0.5


class Weights(NamedTuple):
    """How much each kind of evidence against a chain counts.

    Attributes:
        cost: What its steps cost, by the numbers above.
        rare: That a step changes few values, the logarithm of one in how many.
        rare_named: The same of a step that names a text of the example.
        missed: That it doesn't take some of the column's values: all of them.
        unlike: That the results look otherwise than what is wanted in the examples: all of them.
    """

    cost: float
    rare: float
    rare_named: float
    missed: float
    unlike: float


# Fitted.
WEIGHTS = Weights(cost=1.18, rare=0.3, rare_named=0.79, missed=8.13, unlike=3.1)
# Chains that are this much less likely than the best aren't worth a thought.
WORTH_A_THOUGHT = 5.0
# How much further from the end of the search a text is taken to be that lost a letter or digit which is wanted.
PER_LOST, MOST_LOST = 1.2, 2
# The search goes on for chains that cost so much more than the cheapest.
SEARCHED_BEYOND = 1.5
