"""The bench: the plant as built, simulated in virtual time, with what is shown having been through real octets."""
