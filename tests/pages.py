"""Every page of the demo household, for the tests that go through all of them."""

import re

from conftest import MITE

PAGES = f"""
    / /?evening=2026-06-12 /today/apart
    /first /first?pest=tetranychus-urticae /first/stages?pest=bradysia /plants/2/first
    /plants /plants/new /plants/paste /plants/1 /plants/3 /plants/1/edit
    /plants/2/case /plants/2/case?pest={MITE}
    /places /places/new /places/1 /places/2 /places/4 /places/5 /places/6 /places/1/edit
    /places/4/edit /places/1/day/2026-06-01 /places/1/plan /places/5/plan
    /cases/1 /cases/2 /cases/3 /cases/6 /cases/9 /cases/1/chance /cases/5/chance
    /cases/1/assumptions /cases/1/try /cases/9/course /cases/1/evening /cases/3/evening
    /cases/6/means /cases/6/means/figures /cases/6/means/cut?leaves=9&worst=2&infested=3
    /cases/1/inspect /cases/4/follow /cases/5/follow /cases/6/follow /cases/1/clearing
    /cases/9/clearing /cases/4/report /cases/1/ways /cases/1/ways?now=1 /cases/1/look?found=alive
    /looks/1 /looks/1/signs /looks/1/signs?words=white+fluff /looks/1?zone=upper /looks/1?zone=stem
    /looks/1/suspects /looks/2/suspects
    /looks/3/suspects /looks/1/every /looks/1/every?theme=creature /looks/1/loupe/{MITE}
    /looks/1/loupe/coccus-hesperidum /photos/1 /ruler
    /house /house/1/walk /house/2/walk /quarantine /quarantine/1
    /guide /guide/{MITE} /guide/bradysia?stage=egg
    /guide/{MITE}/figures?figure=stage.egg.k_dd&value=70
    /shelf /shelf/new /shelf/1 /mix /mix?case=6 /household
    /season /season?place=5 /season?plant=3 /season/sightings /season/journal
    /season/came-in /season/came-in?what=bought /season/came-in?what=outside /plants/1/note
    /record /record?q=soap&kind=evening /record/lessons /record/costs /record/data
    /degree-days /degree-days?place=6&lower=7.4&upper=33
    /rehearsal /rehearsal?case=1
    /sharing /settings /keys /words /safety /sources /phone /enter
""".split()


def words(html: str) -> str:
    """What a page says: its text and the names of its pictures and fields, without what
    is quoted from a source.
    """
    html = re.sub(r"<(script|style|cite|option)\b.*?</\1>", " ", html, flags=re.DOTALL)
    html = re.sub(
        r"<svg\b.*?</svg>", lambda drawn: drawn[0].replace("</text>", " | "), html, flags=re.DOTALL
    )
    named = " | ".join(re.findall(r'\s(?:aria-label|title|placeholder|alt)="([^"]*)"', html))
    return re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", html) + " | " + named)
