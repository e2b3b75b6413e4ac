"""A design file on its way: read, solved, driven as its cases say, told as plain values and written."""
