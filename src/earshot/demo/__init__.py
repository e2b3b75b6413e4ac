"""The design files of the demonstration: the bird observatory on the made-up island of Ternholm."""
