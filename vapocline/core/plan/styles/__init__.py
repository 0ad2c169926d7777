"""styles"""
