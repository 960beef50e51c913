"""Shots of a scene judged against each other: how two are apart, and which of them does not belong."""
