"""How everything looks: colours, fonts, cards, lines."""
