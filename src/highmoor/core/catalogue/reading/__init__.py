"""Reading of makers' description files into device types. What comes in is untrusted."""
