"""The rules, one a module; see `bluffline.rules.rule.Rule`."""
