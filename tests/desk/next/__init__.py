"""next"""
