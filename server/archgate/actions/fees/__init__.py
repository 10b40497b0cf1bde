"""What a run asks for: rates, terms, plans, codes, stock, quotes, prices."""
