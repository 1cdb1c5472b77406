"""What things are: plain frozen data. Nothing here reads audio or draws."""
