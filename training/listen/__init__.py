"""How the weights of core/listen are made: from recordings that we render ourselves. Not part of the program."""
