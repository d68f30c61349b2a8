"""A file that is good as it stands and one that was proved, each with its certificate, and who has signed them."""

from functools import partial

import numpy as np
import pytest

from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.target import put_certificate
from bluffline.prove.prove import ProveRequest, propose_all, prove
from bluffline.report.certify import certificate_files, standing_certificate
from bluffline.report.keys import Keys
from bluffline.rules.rulefile import load_rules
from bluffline.survey.checking import check
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.view.small import hatched
from clips import make_clip


@pytest.fixture(scope="package")
def signers(tmp_path_factory):
    keys = Keys(tmp_path_factory.mktemp("keys"))
    keys.own("Larkmoor, desk 3")
    return keys


@pytest.fixture(scope="package")
def certified(signers, tmp_path_factory):
    """A small file that is good as it stands, a still, with its certificate."""
    clip = make_clip(tmp_path_factory.mktemp("good") / "good.mkv", lambda n: np.full((64, 96, 3), 0.3), 40, codec="ffv1")
    checked = check(start_survey(probe(clip), load_rules("r103")), Monitor())
    put_certificate(clip, standing_certificate(checked, signers.own(), Monitor(), hatched))
    return clip


@pytest.fixture(scope="package")
def proved(signers, over_clip, tmp_path_factory):
    """A file that was written and proved, with its certificate."""
    survey, target = (
        run_survey(start_survey(probe(over_clip), load_rules("r103")), Monitor()),
        tmp_path_factory.mktemp("p") / "l.mkv",
    )
    shots = survey.shots()
    treatments = {each.shot: each.treatment for each in propose_all(survey, shots, survey.findings(shots))}
    request = ProveRequest(survey, shots, treatments, target, codec_for(target))
    assert prove(request, Monitor(), partial(certificate_files, key=signers.own(), monitor=Monitor(), draw=hatched)).legal
    return target
