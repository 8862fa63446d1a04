"""Codebooks, reference lists and pair lists: value classes."""

from igual.lists.codebook import Codebook
from igual.lists.codes import CodeMeaning
from igual.lists.pair_list import PairList
from igual.lists.reference_list import ReferenceList, as_reference_list
from igual.lists.shelf import SHELVES, Need, Shelf, ShelfName

__all__ = [
    "SHELVES",
    "CodeMeaning",
    "Codebook",
    "Need",
    "PairList",
    "ReferenceList",
    "Shelf",
    "ShelfName",
    "as_reference_list",
]
