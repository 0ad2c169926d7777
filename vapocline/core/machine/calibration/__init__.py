"""calibration"""
