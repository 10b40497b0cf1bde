"""Instructors: who they are, who teaches what, cover, pay and papers, evaluations, applications."""
