"""Small networks that run with numpy: dense layers, convolutions, attention."""
