"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 1.96,
    "extra e after a, o, u": 4.27,
    "extra last s": 3.29,
    "extra vowel": 4.32,
    "extra weak consonant": 4.39,
    "extra consonant": 5.00,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.69,
    "missing e after a, o, u": 3.18,
    "missing last s": 4.01,
    "missing vowel": 2.70,
    "missing weak consonant": 2.18,
    "missing consonant": 2.67,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.28,
    "instead: vowels": 5.23,
    "instead: sounds alike": 4.06,
    "instead: sounds like it": 4.61,
    "instead: neighbouring key": 4.70,
    "instead: consonants": 6.27,
    "instead: vowel and consonant": 6.06,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.27,
    "first": 1.38,
    "last": 0.78,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.52
CONSONANTS = 0.48
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
DRESS = 2.37
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 0.97
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 2.73
LISTED_PER_LETTER = 0.22
LISTED_PER_COST = 0.37
