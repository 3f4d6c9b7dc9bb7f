"""Safety on the bench: contacts, safe modules, their telegrams, the safe part that decides, what it switches."""
