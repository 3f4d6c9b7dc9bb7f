"""The demo plant, Skelder Maltings: invented from the gate to the last terminal."""
