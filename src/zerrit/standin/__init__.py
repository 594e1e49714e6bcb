"""
A simulated game host: an FTP server over real folders, an HTTP control, and a game process with readers of its own.

It ships with the product, so that everything can be tried, shown and tested without a real server.
"""

from zerrit.standin.faults import Faults
from zerrit.standin.host import StandinHost

__all__ = ["Faults", "StandinHost"]
