"""Area scanners: the zones they watch, from where somebody comes, how near the hazard that is."""
