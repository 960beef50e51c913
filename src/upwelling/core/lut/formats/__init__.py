"""Text formats of lookup tables and corrections: one a file.

``core.lut_files`` chooses among them by a file's ending.
"""
