"""Merging published snippets into documents."""

from zerrit.core.merge.cleaning import clean
from zerrit.core.merge.snippet import Action, ActionKind, MergePlan, apply_plan, plan_merge

__all__ = ["Action", "ActionKind", "MergePlan", "apply_plan", "clean", "plan_merge"]
