"""Figures of motion: scale, profile, torque, states, hand-over, stepper, arms, and what a tape can tell."""
