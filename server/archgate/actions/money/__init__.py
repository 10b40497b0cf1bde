"""The ledger, accounts, payments, papers and what is outstanding."""
