"""One page that answers back: models as a file of HTML that turns, slides, steers and re-terminates offline."""
