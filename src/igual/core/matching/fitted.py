"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 2.02,
    "extra e after a, o, u": 4.28,
    "extra last s": 3.29,
    "extra vowel": 4.30,
    "extra weak consonant": 4.42,
    "extra consonant": 5.01,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.69,
    "missing e after a, o, u": 3.07,
    "missing last s": 4.02,
    "missing vowel": 2.71,
    "missing weak consonant": 2.19,
    "missing consonant": 2.69,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.33,
    "instead: vowels": 5.25,
    "instead: sounds alike": 4.08,
    "instead: sounds like it": 4.61,
    "instead: neighbouring key": 4.69,
    "instead: consonants": 6.38,
    "instead: vowel and consonant": 6.05,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.28,
    "first": 1.37,
    "last": 0.76,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.51
CONSONANTS = 0.48
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
DRESS = 2.36
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 0.98
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 3.02
LISTED_PER_LETTER = 0.19
LISTED_PER_COST = 0.37
