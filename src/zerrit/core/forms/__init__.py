"""Entry forms: from the answers of one sheet to steps in many files, and from an existing entry to such a sheet."""

from zerrit.core.forms.drafting import draft_form
from zerrit.core.forms.filling import FormRefused, form_steps, known_answers, removal_of, renaming_of

__all__ = ["FormRefused", "draft_form", "form_steps", "known_answers", "removal_of", "renaming_of"]
