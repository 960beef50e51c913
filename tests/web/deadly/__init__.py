"""An application whose work kills, hangs, eats and fails: for the tests of the worker."""
