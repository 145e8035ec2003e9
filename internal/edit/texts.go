package edit

import (
	"diadrom/internal/core/store"
)

// TextAt is a text that buyers read, in a language.
type TextAt struct {
	Of       store.TextOf
	ID, Code string
	Tag      string // BCP 47
}

// SetText sets a text in a language, as it is typed; "" for none, so that the shop's own words are read. was is what
// the owner saw there; where it is something else by now, and not what is typed, the error is a [*Conflict].
func SetText(f *store.File, at TextAt, was, typed string) error {
	tag, ok := store.Language(at.Tag)
	if !ok {
		return Problemf("%.40q is not a language: write its code, such as fi or pt-BR", at.Tag)
	}
	texts := textsAt(f, at)
	if texts == nil {
		return Problemf("this text was removed meanwhile")
	}
	text, err := Line(typed)
	if err != nil {
		return err
	}
	if n := len([]rune(text)); n > maxTold {
		return Problemf("what buyers read has at most %d letters; this has %d", maxTold, n)
	}
	if now := (*texts)[tag]; now != was && now != text {
		return &Conflict{now}
	}
	if _, has := (*texts)[tag]; !has && text != "" && len(*texts) >= store.MaxLanguages {
		return Problemf("a text is in at most %d languages", store.MaxLanguages)
	}
	*texts = texts.With(tag, text)
	return nil
}

// textsAt finds texts in a file; nil where what they belong to is not there.
func textsAt(f *store.File, at TextAt) *store.Texts {
	switch at.Of {
	case store.LabelText, store.RefusedText, store.ServiceText:
		return methodTexts(f.Method(at.ID), at)
	case store.PlaceText, store.HoursText:
		l := f.Location(at.ID)
		switch {
		case l == nil:
			return nil
		case at.Of == store.PlaceText:
			return &l.Names
		}
		return &l.HoursTexts
	case store.BoxText:
		if b := f.Box(at.ID); b != nil {
			return &b.Names
		}
	}
	return nil
}

func methodTexts(m *store.Method, at TextAt) *store.Texts {
	switch {
	case m == nil:
		return nil
	case at.Of == store.LabelText:
		return &m.Labels
	case at.Of == store.RefusedText:
		return &m.RefusedTexts
	case m.Carrier == nil:
		return nil
	}
	for i := range m.Carrier.Services {
		if m.Carrier.Services[i].Code == at.Code {
			return &m.Carrier.Services[i].Labels
		}
	}
	return nil
}
