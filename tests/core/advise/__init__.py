"""advise"""
