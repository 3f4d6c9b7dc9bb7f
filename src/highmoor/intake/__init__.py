"""Files from outside, read in a process of their own with bounds on time and memory."""
