"""`python -m zerrit` is the command `zerrit`."""

from zerrit.cli import main

main(prog_name="zerrit")
