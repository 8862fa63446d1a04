"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 2.26,
    "extra e after a, o, u": 4.40,
    "extra last s": 3.48,
    "extra vowel": 4.48,
    "extra weak consonant": 4.65,
    "extra consonant": 5.23,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.71,
    "missing e after a, o, u": 2.85,
    "missing last s": 3.94,
    "missing vowel": 2.68,
    "missing weak consonant": 2.33,
    "missing consonant": 2.68,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.40,
    "instead: vowels": 5.16,
    "instead: sounds alike": 4.14,
    "instead: sounds like it": 4.50,
    "instead: neighbouring key": 4.34,
    "instead: consonants": 6.68,
    "instead: vowel and consonant": 6.30,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.38,
    "first": 1.05,
    "last": 0.72,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.40
CONSONANTS = 0.47
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
DRESS = 2.46
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 1.01
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 3.03
LISTED_PER_LETTER = 0.19
LISTED_PER_COST = 0.38
