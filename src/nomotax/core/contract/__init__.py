"""Contracts: what the files of a feed must look like, and whether one does."""
