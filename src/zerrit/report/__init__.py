"""
What the service and the commands both show: pages to print, and figures in the shapes of the API.

A page is one HTML file with nothing in it that is loaded from elsewhere.
"""
