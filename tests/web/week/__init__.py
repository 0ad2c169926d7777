"""week"""
