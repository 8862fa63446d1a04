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
RIVALS = 1.03
# Whether any candidate is meant, as a logit: a part, one for each letter of the value, one for each nat of cost.
LISTED = -0.43
LISTED_PER_LETTER = 0.64
LISTED_PER_ODDNESS = 1.05
LISTED_PER_CROWDING = 1.01
LISTED_PER_ENDING = -22.69
LISTED_PER_COST = 0.70
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
    "read": 4.36,
    "order": 0.93,
    "entry cut": 1.92,
    "edited": 0.57,
    "stated": 0.02,
    "stem": 4.23,
    "cut": 2.38,
    "cut to two": 2.97,
    "cut to one": 2.94,
    "contracted": 3.77,
    "extra small": 0.79,
    "extra left": 0.02,
    "extra rarity": 7.16,
    "extra first": 0.98,
    "extra last": -0.86,
    "extra aside": 2.04,
    "extra aside rarity": 4.72,
    "extra in brackets": 3.91,
    "extra apart": 0.02,
    "missing small": 0.52,
    "missing left": 0.02,
    "missing rarity": 1.48,
    "missing first": 1.21,
    "missing last": 0.36,
    "missing aside": 1.88,
    "missing aside rarity": 0.18,
    "missing in brackets": 0.02,
    "missing apart": 0.70,
    "both rarity": 0.48,
    "instead": 0.46,
    "known changed": 0.02,
    "inner initials": 3.00,
}
# The same as a part of the logit that any candidate is meant, beside LISTED_BY_WORDS and LISTED_PER_WORD_COST.
EVIDENCE = {
    "order": -1.61,
    "agreed": 4.37,
    "entry cut": -0.71,
    "edited": -0.19,
    "stated": -0.08,
    "stem": -1.59,
    "cut": -0.19,
    "cut to two": -0.48,
    "cut to one": -1.37,
    "contracted": -0.52,
    "extra left": -0.67,
    "extra first": -1.40,
    "extra aside": -0.80,
    "extra aside rarity": -0.15,
    "extra in brackets": -0.32,
    "extra apart": -0.23,
    "missing rarity": -0.99,
    "missing first": -0.16,
    "missing aside rarity": -0.19,
    "missing apart": -3.88,
    "both rarity": -1.42,
}
LISTED_BY_WORDS = -1.72
LISTED_PER_WORD_COST = 0.00
