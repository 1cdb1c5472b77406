"""The bar that plays."""
