"""What the API says of articles."""

from rest_framework import serializers

from gannet.knowledge.models import ArticleKind
from gannet.web.shape import Shape

_words, _number, _yes = serializers.CharField, serializers.IntegerField, serializers.BooleanField
_list, _part = serializers.ListField, serializers.FloatField


class AudienceShape(Shape):
    """One of those that an article for some is for: a department, a place, a service, a role."""

    kind = serializers.ChoiceField(["department", "place", "service", "role"])
    name = _words(max_length=80)


class WriteArticleShape(Shape):
    title = _words(max_length=200, allow_blank=True)
    body = _words(max_length=60_000, allow_blank=True)
    service = _number(required=False, allow_null=True, default=None)
    category = _words(max_length=80, allow_blank=True, required=False, default="")
    for_everybody = _yes(required=False, default=False)
    kind = serializers.ChoiceField(
        ArticleKind.values, required=False, help_text="left out: as it is"
    )
    audience = AudienceShape(
        many=True, required=False, help_text="those it is for, where it is for some"
    )
    base = _number(
        required=False, help_text="the version that was edited: refused when there is a newer one"
    )
    note = _words(max_length=200, allow_blank=True, required=False, default="")
    language = _words(max_length=12, required=False, help_text="BCP 47; left out: as it is")


class ArticleStateShape(Shape):
    state = serializers.ChoiceField(["draft", "in review", "published", "retired"])


class ListedArticleShape(Shape):
    id = _number()
    title = _words()
    state = _words()
    kind = _words()
    service = _words()
    category = _words()
    author = _words()
    owner = _words()
    for_everybody = _yes()
    is_for_some = _yes()
    used = _number()
    changed_s = _number()
    version = _number()
    newest = _number(help_text="larger than version where something waits to be published")
    review_s = _number(allow_null=True)
    language = _words(help_text="BCP 47")
    language_name = _words(help_text="as the language calls itself")


class RankPartShape(Shape):
    part = _words()
    factor = _part()


class SoughtArticleShape(ListedArticleShape):
    """An article that words found; `why` are the factors of its rank, none without words."""

    starts = _words()
    score = _part(allow_null=True)
    why = RankPartShape(many=True)
    read_as = _list(child=_words(), help_text="words that were read as others: gaet as gate")


class TextPieceShape(Shape):
    how = serializers.ChoiceField(["same", "gone", "new"])
    text = _words()


class ArticleVersionShape(Shape):
    """One version, with what changed against the one before, line by line."""

    number = _number()
    title = _words()
    by = _words()
    at_s = _number()
    note = _words()
    is_published = _yes()
    helped = _number()
    not_helped = _number()
    low = _part()
    high = _part()
    changed = TextPieceShape(many=True)


class ReaderNoteShape(Shape):
    """What somebody whom it did not help wrote, and what was answered."""

    id = _number()
    person = _words()
    version = _number()
    why = _words()
    at_s = _number()
    answer = _words()
    answered_s = _number(allow_null=True)


class MyVoteShape(Shape):
    helped = _yes()
    why = _words()
    answer = _words()


class RelatedArticleShape(Shape):
    id = _number()
    title = _words()


class PictureShape(Shape):
    """A picture that an article's texts may show, and how they name it."""

    name = _words()
    address = _words(help_text="where it is read from")
    shown_as = _words(help_text="what a text says to show it: pictures/gate-1a2b3c4d.png")
    width = _number()
    height = _number()
    size = _number(help_text="bytes")
    is_shown = _yes(help_text="by the newest version")


class PreviewShape(Shape):
    """A text that is not saved yet, and whom it would be for."""

    body = _words(max_length=60_000, allow_blank=True)
    for_everybody = _yes(required=False, default=False)
    audience = AudienceShape(many=True, required=False, default=list)


class LostLinkShape(Shape):
    """A link that not all readers can follow."""

    to = _words()
    title = _words()
    why = _words()


class PreviewedShape(Shape):
    html = _words()
    lost = LostLinkShape(many=True)
    missing = _list(child=_words(), help_text="pictures that it names and that are not there")


class RemoveOfArticleShape(Shape):
    """Words, or a picture by its name, to be removed for good; why is needed to do it."""

    words = _words(max_length=400, allow_blank=True, required=False, default="")
    picture = _words(max_length=80, allow_blank=True, required=False, default="")
    reason = _words(max_length=300, allow_blank=True, required=False, default="")
    trial = _yes(required=False, default=False)


class RemovalShape(Shape):
    """Where an article has it, or had it."""

    versions = _list(child=_number())
    notes = _number()
    samples = _list(child=_words(), help_text="with trial: some of the places, in their sentence")


class WriterShape(Shape):
    """Somebody else who is writing the same article now."""

    name = _words()


class LanguageShape(Shape):
    key = _words(help_text="BCP 47")
    name = _words()


class AudiencesShape(Shape):
    departments = _list(child=_words())
    languages = LanguageShape(many=True)
    outlines = serializers.DictField(
        child=_words(), help_text="what an article of each kind begins as"
    )
    ours = _words(help_text="the language that articles are in unless they say otherwise")


class TranslateShape(Shape):
    """A language to be translated into; or an article that is there already."""

    language = _words(max_length=12, required=False, default="")
    other = _number(required=False, allow_null=True, default=None)


class TranslationShape(Shape):
    """The same article in another language."""

    id = _number()
    title = _words()
    language = _words()
    language_name = _words()
    state = _words()
    is_original = _yes()


class FollowArticleShape(Shape):
    is_followed = _yes()


class FollowedShape(Shape):
    """How the known error of an article stands."""

    problem = _number(allow_null=True, help_text="for the desk")
    workaround = _words(help_text="empty where it is not for the reader")
    since_s = _number(allow_null=True)
    ended_s = _number(allow_null=True)


class WholeArticleShape(ListedArticleShape):
    body = _words()
    html = _words()
    service_id = _number(allow_null=True)
    source = _number(allow_null=True)
    audience = AudienceShape(many=True)
    may_change = _yes()
    may_publish = _yes()
    may_vote = _yes()
    follows = FollowedShape(allow_null=True, help_text="the known error it is about")
    is_followed = _yes(help_text="whether you hear when it is changed")
    draft_title = _words(help_text="of the newest version")
    draft_body = _words()
    my_vote = MyVoteShape(allow_null=True)
    related = RelatedArticleShape(many=True)
    translations = TranslationShape(many=True)
    is_behind = _yes(help_text="its original says something newer")
    of_version = _number(allow_null=True, help_text="the version of its original that it says")
    is_translation = _yes()


class RulingShape(Shape):
    """What a rule of the rulebook did, and why."""

    at_s = _number()
    moment = _words()
    name = _words()
    because = _words()
    did = _list(child=_words())


class RuleIfShape(Shape):
    """A condition over articles."""

    if_ = serializers.DictField()


RuleIfShape._declared_fields["if"] = RuleIfShape._declared_fields.pop("if_")


class RuleFitsShape(Shape):
    count = _number()
    articles = RelatedArticleShape(many=True)


class ArticleWeekShape(Shape):
    """What fell into one week of an article."""

    from_s = _number()
    reads = _number()
    saved = _number(help_text="tickets that it saved")
    used = _number(help_text="tickets that it resolved")


class AboutLineShape(RelatedArticleShape):
    state = _words()


class ArticlesAboutShape(Shape):
    """The articles that link to something, and others that fit it."""

    linking = AboutLineShape(many=True)
    fitting = AboutLineShape(many=True)
    fitting_count = _number()


class ArticleLifeShape(Shape):
    """What its readers made of an article, version by version: for the desk."""

    versions = ArticleVersionShape(many=True)
    notes = ReaderNoteShape(many=True)
    reads = _number(help_text="in the last 30 days")
    saved = _number(help_text="tickets saved in the last 30 days")
    used = _number()
    weeks = ArticleWeekShape(many=True, help_text="the last twelve, the oldest first")
    rulings = RulingShape(many=True)
    linked_from = RelatedArticleShape(many=True)


class VoteShape(Shape):
    helped = _yes()
    why = _words(max_length=600, allow_blank=True, required=False, default="")


class AnswerNoteShape(Shape):
    text = _words(max_length=600, allow_blank=True)


class OwnerShape(Shape):
    person = _number()


WANTS = (
    "disputed", "review late", "owner left", "lost link", "altered since", "fixed since",
    "review soon", "translation behind", "stale",
)  # fmt: skip


class WantingWhyShape(Shape):
    what = serializers.ChoiceField(WANTS)
    note = _words()


class WantingShape(Shape):
    """An article that wants a hand, with why, and between what shares it helps (95 %)."""

    id = _number()
    title = _words()
    why = WantingWhyShape(many=True)
    a_week = _part()
    helped = _number()
    not_helped = _number()
    low = _part()
    high = _part()
    review_s = _number(allow_null=True)
    owner = _words()


class SoughtShape(Shape):
    """Words that were sought in vain: by how many people, of whom so many asked the desk."""

    words = _words()
    people = _number()
    asked = _number()


class SavedShape(Shape):
    id = _number()
    title = _words()
    saved = _number()


class AlikeShape(Shape):
    one = _number()
    other = _number()
    share = _part()


class SuggestedSameShape(Shape):
    """A word that was searched for in vain, and the one that so many then found it by."""

    said = _words()
    meant = _words()
    people = _number()


class UpkeepShape(Shape):
    wanting = WantingShape(many=True)
    wanting_count = _number()
    published = _number()
    not_found = SoughtShape(many=True)
    saved = SavedShape(many=True)
    saved_count = _number()
    alike = AlikeShape(many=True)
    same = SuggestedSameShape(many=True)
    waiting = _number(help_text="drafts that wait for their review")
    now_s = _number()


class SameWordsShape(Shape):
    id = _number()
    words = _list(child=_words())
    by = _words()


class WriteSameWordsShape(Shape):
    words = _list(child=_words(max_length=40), min_length=2, max_length=12)


class FolderLineShape(Shape):
    """What a file would do, or did; a wrong one says why."""

    file = _words()
    does = serializers.ChoiceField(["new", "changed", "same", "wrong"])
    title = _words()
    number = _number(allow_null=True)
    why = _words()


class FolderShape(Shape):
    lines = FolderLineShape(many=True)
    is_trial = _yes()
