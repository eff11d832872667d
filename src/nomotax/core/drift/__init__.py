"""This delivery beside the last ones: what is strange in it, measured by what has been usual."""
