"""The rules of a gamebook: a module for each kind, and what every part of a gamebook is made of."""

from typing import Final

from zerrit.core.rules.advice import AdviceRule
from zerrit.core.rules.agree import AgreeRule, FileNames, FolderNames
from zerrit.core.rules.alike import AlikeRule
from zerrit.core.rules.balance import BalanceRule
from zerrit.core.rules.base import Part, Rule
from zerrit.core.rules.checklist import ChecklistRule
from zerrit.core.rules.children import ChildrenRule
from zerrit.core.rules.counts import CountRule
from zerrit.core.rules.decisions import DecisionRule
from zerrit.core.rules.derived import BetweenRules, DerivedRules
from zerrit.core.rules.draws import DrawRules, RangeAt, SetRules
from zerrit.core.rules.file_names import FileNameRule
from zerrit.core.rules.files import EntryRules, FieldRules, FileRules, SlotRules
from zerrit.core.rules.gates import GateRule
from zerrit.core.rules.guesses import GuessRule
from zerrit.core.rules.in_use import InUseRule
from zerrit.core.rules.listed import Fault, ListedRule, Named
from zerrit.core.rules.must import MustRule
from zerrit.core.rules.near import NearRule
from zerrit.core.rules.needs import NeedsRule
from zerrit.core.rules.old_words import OldWordsRule
from zerrit.core.rules.one_of import OneOfRule
from zerrit.core.rules.packed import PackedRule
from zerrit.core.rules.present import PresentRule
from zerrit.core.rules.refers import ReferRule
from zerrit.core.rules.same_order import SameOrderRule
from zerrit.core.rules.same_values import SameRule
from zerrit.core.rules.sources import ListSource, SqlQuery, Table
from zerrit.core.rules.trouble import LoadedRules, Rehearsal, Trouble
from zerrit.core.rules.unique import UniqueRule
from zerrit.core.rules.word_uses import SAME_WORD, PathsLike, ValuesAt, WordFamily, WordUse

#: Every kind of rule that is listed in a part of its own, in the order in which a person reads the parts.
KINDS: Final[tuple[type[ListedRule], ...]] = (
    ReferRule,
    UniqueRule,
    AgreeRule,
    SameRule,
    MustRule,
    NeedsRule,
    OneOfRule,
    PresentRule,
    FileNameRule,
    InUseRule,
    PackedRule,
    AlikeRule,
    CountRule,
    SameOrderRule,
    ChildrenRule,
    OldWordsRule,
    GateRule,
    NearRule,
    BalanceRule,
    AdviceRule,
    DecisionRule,
    DerivedRules,
    ChecklistRule,
    GuessRule,
)

__all__ = [
    "KINDS",
    "SAME_WORD",
    "AdviceRule",
    "AgreeRule",
    "AlikeRule",
    "BalanceRule",
    "BetweenRules",
    "ChecklistRule",
    "ChildrenRule",
    "CountRule",
    "DecisionRule",
    "DerivedRules",
    "DrawRules",
    "EntryRules",
    "Fault",
    "FieldRules",
    "FileNameRule",
    "FileNames",
    "FileRules",
    "FolderNames",
    "GateRule",
    "GuessRule",
    "InUseRule",
    "ListSource",
    "ListedRule",
    "LoadedRules",
    "MustRule",
    "Named",
    "NearRule",
    "NeedsRule",
    "OldWordsRule",
    "OneOfRule",
    "PackedRule",
    "Part",
    "PathsLike",
    "PresentRule",
    "RangeAt",
    "ReferRule",
    "Rehearsal",
    "Rule",
    "SameOrderRule",
    "SameRule",
    "SetRules",
    "SlotRules",
    "SqlQuery",
    "Table",
    "Trouble",
    "UniqueRule",
    "ValuesAt",
    "WordFamily",
    "WordUse",
]
