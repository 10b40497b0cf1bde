"""The stand-in for a payment service: a process of its own with tables of its own, which behaves like a real one and moves no money.

It knows nothing of the center but what it is asked over HTTP, and the center nothing of it but what it answers.
"""
