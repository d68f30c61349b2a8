"""What is offered: the least treatment, exposure and balance, bringing to a reference, following what moves."""
