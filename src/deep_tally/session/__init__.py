"""What is kept between checks."""
