"""trail"""
