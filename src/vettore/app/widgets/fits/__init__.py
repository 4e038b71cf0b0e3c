"""Parts that show and ask about fits."""
