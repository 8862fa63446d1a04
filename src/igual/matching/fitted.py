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
RIVALS = 1.04
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 7.74
LISTED_PER_LETTER = 0.54
LISTED_PER_ODDNESS = 1.03
LISTED_PER_SIZE = 1.43
LISTED_PER_ENDING = -29.84
LISTED_PER_COST = 0.63
# How likely one text means another, were there no others: the same numbers as a logit.
ALONE = 3.03
ALONE_PER_LETTER = 0.19
ALONE_PER_COST = 0.38
# What lies between two texts read by their words costs, in nats; see EVENTS of `wording.py`.
WORDS = {
    "read": 3.39,
    "order": 0.37,
    "entry cut": 4.19,
    "edited": 0.73,
    "stated": 0.02,
    "stem": 5.25,
    "cut": 2.38,
    "cut to two": 1.15,
    "cut to one": 2.42,
    "contracted": 3.94,
    "extra small": 1.95,
    "extra left": 0.02,
    "extra rarity": 6.43,
    "extra first": 1.17,
    "extra last": -0.81,
    "extra aside": 1.60,
    "extra aside rarity": 3.43,
    "extra in brackets": 2.63,
    "extra apart": 0.91,
    "missing small": 0.02,
    "missing left": 0.02,
    "missing rarity": 1.09,
    "missing first": 1.16,
    "missing last": 1.00,
    "missing aside": 0.50,
    "missing aside rarity": 0.58,
    "missing in brackets": 0.02,
    "missing apart": 0.80,
    "both rarity": 0.30,
    "instead": 0.59,
}
# The same as a part of the logit that any candidate is meant, beside LISTED_BY_WORDS and LISTED_PER_WORD_COST.
EVIDENCE = {
    "order": -1.21,
    "agreed": 4.91,
    "entry cut": -1.86,
    "edited": -0.26,
    "stem": -2.00,
    "cut to two": -0.11,
    "cut to one": -0.59,
    "extra left": -0.61,
    "extra first": -1.14,
    "extra aside": -0.79,
    "extra in brackets": -1.06,
    "extra apart": -2.73,
    "missing rarity": -0.40,
    "missing first": -0.30,
    "missing apart": -5.14,
    "both rarity": -0.95,
}
LISTED_BY_WORDS = -2.26
LISTED_PER_WORD_COST = 0.03
