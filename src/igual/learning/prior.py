"""How simple a chain of rules is, and how well it has to suit the column: the numbers that `learn` goes by.

Costs are natural logarithms: a chain that costs 1 more is 2.7 times less likely to be what is meant. STEP and WEIGHTS
were fitted to tasks of `benchmarks/learn_tasks` (neither those held out nor the fresh ones), by
`python -m benchmarks.learning fit`; the other numbers were set by hand.
"""

from __future__ import annotations

from typing import NamedTuple

# What a step costs by what it does: fitted.
STEP = {
    "spacing": 0.9,
    "no spaces": 1.45,
    "case": 0.98,
    "case, identifiers": 1.82,
    "case, names": 1.3,
    "keep": 1.48,
    "drop": 1.32,
    "fold": 1.0,
    "straighten": 1.0,
    "replace": 1.1,
    "replace one place": 1.87,
    "remove": 1.08,
    "replace words": 1.86,
    "add": 1.29,
    "part": 0.92,
    "bracketed": 0.98,
    "run": 1.51,
    "shape": 1.72,
    "first or last": 2.28,
    "cut off": 2.11,
    "before or after": 1.41,
    "between": 1.85,
    "beside a word": 1.78,
    "words": 2.2,
    "overlay": 3.32,
    "pad": 1.04,
    "zeros": 1.04,
    "initials": 1.37,
    "rearrange": 1.36,
    "number": 0.77,
    "date": 0.99,
    "compose": 1.0,
    "condition": 2.0,
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
WEIGHTS = Weights(cost=1.35, rare=0.3, rare_named=0.79, missed=8.29, unlike=3.15)
# Chains that are this much less likely than the best aren't worth a thought.
WORTH_A_THOUGHT = 6.0
# How much further from the end of the search a text is taken to be that lost a letter or digit which is wanted.
PER_LOST, MOST_LOST = 1.2, 2
# The search goes on for chains that cost so much more than the cheapest.
SEARCHED_BEYOND = 1.5
