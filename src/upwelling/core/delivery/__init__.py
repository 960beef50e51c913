"""Delivered files: what is ordered, rendered in parts that survive a crash, and the proof of what came out."""
