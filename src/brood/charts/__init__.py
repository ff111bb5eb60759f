"""Charts as SVG text: results in, markup out; colour only by class name, so that the
page's policy and themes hold.
"""
