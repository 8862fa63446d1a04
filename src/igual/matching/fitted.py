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
# What lies between two texts read by their words costs, in nats; see EVENTS of `wording.py`.
WORDS = {
    "read": 1.33,
    "order": 0.35,
    "entry cut": 3.05,
    "edited": 0.68,
    "stated": 0.02,
    "stem": 4.26,
    "cut": 1.95,
    "cut to two": 0.47,
    "cut to one": 2.20,
    "contracted": 3.40,
    "extra small": 1.88,
    "extra left": 0.02,
    "extra rarity": 5.23,
    "extra first": 0.92,
    "extra last": -0.95,
    "extra aside": 1.26,
    "extra aside rarity": 3.07,
    "extra in brackets": 2.18,
    "extra apart": 0.95,
    "missing small": 0.02,
    "missing left": 0.02,
    "missing rarity": 0.93,
    "missing first": 0.89,
    "missing last": 0.63,
    "missing aside": 0.33,
    "missing aside rarity": 0.53,
    "missing in brackets": 0.02,
    "missing apart": 1.34,
    "both rarity": 0.26,
    "instead": 0.82,
}
# The same as a part of the logit that any candidate is meant, beside LISTED_BY_WORDS and LISTED_PER_WORD_COST.
EVIDENCE = {
    "order": -1.13,
    "agreed": 4.82,
    "entry cut": -1.92,
    "edited": -0.27,
    "stem": -2.00,
    "cut to two": -0.33,
    "cut to one": -0.51,
    "extra left": -0.45,
    "extra first": -1.07,
    "extra aside": -0.52,
    "extra in brackets": -0.84,
    "extra apart": -2.91,
    "missing rarity": -0.49,
    "missing first": -0.43,
    "missing aside rarity": -0.05,
    "missing apart": -3.57,
    "both rarity": -0.85,
}
LISTED_BY_WORDS = -2.02
LISTED_PER_WORD_COST = 0.07
