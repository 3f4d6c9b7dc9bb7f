"""Tables and declarations of signals from outside, laid beside the plant and taken over."""
