"""What the fit found: every number that a score rests on. Written by `tools/fit_matching.py`."""

# What each kind of edit costs, in nats: an edit that costs 1 more is e times less likely.
EDITS = {
    "extra doubled": 2.24,
    "extra e after a, o, u": 4.38,
    "extra last s": 3.64,
    "extra vowel": 4.60,
    "extra weak consonant": 4.86,
    "extra consonant": 5.27,
    "extra digit": 4.00,
    "extra other": 4.00,
    "missing doubled": 1.69,
    "missing e after a, o, u": 2.91,
    "missing last s": 3.90,
    "missing vowel": 2.79,
    "missing weak consonant": 2.45,
    "missing consonant": 2.80,
    "missing digit": 4.00,
    "missing other": 4.00,
    "instead: vowels alike": 4.41,
    "instead: vowels": 5.10,
    "instead: sounds alike": 4.14,
    "instead: sounds like it": 4.58,
    "instead: neighbouring key": 4.38,
    "instead: consonants": 6.70,
    "instead: vowel and consonant": 6.36,
    "instead: digits": 4.00,
    "instead: digit like letter": 4.00,
    "instead: other": 4.00,
    "swapped": 2.41,
    "moved": 4.75,
    "exchanged": 5.30,
    "first": 0.98,
    "last": 0.86,
}
# What is added for each edit between the sounds of two texts, and between their consonants.
SOUNDS = 0.37
CONSONANTS = 0.43
# What is added for each difference in case, accents, spaces or marks, beyond the least of a value's candidates.
SURFACE = 2.49
# How sharply costs tell rival candidates apart: 1 takes them as they are.
RIVALS = 1.04
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = 7.79
LISTED_PER_LETTER = 0.54
LISTED_PER_ODDNESS = 1.03
LISTED_PER_SIZE = 1.44
LISTED_PER_ENDING = -29.12
LISTED_PER_COST = 0.63
# How likely the rarer of two values of one column is a slip of the other, as a logit; see `slip_pairs.py`.
SLIP = {
    "always": 3.34,
    "cost": -0.71,
    "letters": 0.74,
    "rows": 1.34,
    "own rows": -1.04,
    "oddness": 1.02,
    "endings": -6.00,
    "size": -1.02,
    "others near": -2.53,
}
# How likely one text means another, were there no others, as a logit.
ALONE = 3.03
ALONE_PER_LETTER = 0.19
ALONE_PER_COST = 0.38
# What lies between two texts read by their words costs, in nats; see EVENTS of `wording.py`.
WORDS = {
    "read": 3.41,
    "order": 0.35,
    "entry cut": 4.22,
    "edited": 0.70,
    "stated": 0.02,
    "stem": 5.17,
    "cut": 2.23,
    "cut to two": 1.08,
    "cut to one": 2.31,
    "contracted": 3.86,
    "extra small": 1.95,
    "extra left": 0.02,
    "extra rarity": 6.39,
    "extra first": 1.17,
    "extra last": -0.82,
    "extra aside": 1.59,
    "extra aside rarity": 3.41,
    "extra in brackets": 2.61,
    "extra apart": 0.95,
    "missing small": 0.02,
    "missing left": 0.02,
    "missing rarity": 1.09,
    "missing first": 1.18,
    "missing last": 1.02,
    "missing aside": 0.51,
    "missing aside rarity": 0.58,
    "missing in brackets": 0.02,
    "missing apart": 0.81,
    "both rarity": 0.30,
    "instead": 0.59,
    "known changed": 0.27,
    "inner initials": 1.50,
}
# The same as a part of the logit that any candidate is meant, beside LISTED_BY_WORDS and LISTED_PER_WORD_COST.
EVIDENCE = {
    "order": -1.19,
    "agreed": 4.92,
    "entry cut": -1.87,
    "edited": -0.26,
    "stem": -2.00,
    "cut to two": -0.05,
    "cut to one": -0.58,
    "extra left": -0.63,
    "extra first": -1.12,
    "extra aside": -0.81,
    "extra in brackets": -1.06,
    "extra apart": -2.71,
    "missing rarity": -0.40,
    "missing first": -0.30,
    "missing apart": -5.12,
    "both rarity": -0.94,
}
LISTED_BY_WORDS = -2.28
LISTED_PER_WORD_COST = 0.03
