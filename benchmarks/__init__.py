"""Speed, measured on the real parts: ./vapo bench. Never part of the tests."""
