"""One report: the last survey, build, check and review, and what engines said last, on one page.

`whole` puts it together; `figures` has the charts and what each answers, `findings` what the check
found and where, `sheets` what is known of each page.
"""
