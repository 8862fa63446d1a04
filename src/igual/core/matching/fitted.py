"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 2.04,
    "extra e after a, o, u": 4.28,
    "extra last s": 3.29,
    "extra vowel": 4.31,
    "extra weak consonant": 4.43,
    "extra consonant": 5.04,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.70,
    "missing e after a, o, u": 3.07,
    "missing last s": 4.02,
    "missing vowel": 2.71,
    "missing weak consonant": 2.19,
    "missing consonant": 2.70,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.34,
    "instead: vowels": 5.26,
    "instead: sounds alike": 4.09,
    "instead: sounds like it": 4.62,
    "instead: neighbouring key": 4.70,
    "instead: consonants": 6.39,
    "instead: vowel and consonant": 6.06,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.30,
    "first": 1.37,
    "last": 0.77,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.51
CONSONANTS = 0.50
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
DRESS = 2.37
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 0.98
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 3.05
LISTED_PER_LETTER = 0.19
LISTED_PER_COST = 0.37
