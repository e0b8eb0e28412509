"""The kinds of parameter field, a file each: what it declares, and the helper that steps use."""
