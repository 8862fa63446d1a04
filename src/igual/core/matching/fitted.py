"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 2.04,
    "extra e after a, o, u": 4.15,
    "extra vowel": 4.27,
    "extra weak consonant": 4.35,
    "extra consonant": 4.75,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.80,
    "missing e after a, o, u": 3.49,
    "missing vowel": 2.80,
    "missing weak consonant": 2.16,
    "missing consonant": 2.98,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.33,
    "instead: vowels": 5.24,
    "instead: sounds alike": 4.10,
    "instead: sounds like it": 4.63,
    "instead: neighbouring key": 4.91,
    "instead: consonants": 6.36,
    "instead: vowel and consonant": 6.14,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.32,
    "first": 2.34,
    "last": 0.82,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.55
CONSONANTS = 0.45
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
DRESS = 5.07
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 1.05
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 3.19
LISTED_PER_LETTER = 0.16
LISTED_PER_COST = 0.36
