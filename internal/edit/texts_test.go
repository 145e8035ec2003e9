package edit

import (
	"errors"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTextsInOtherLanguages(t *testing.T) {
	f := storetest.Lauha(t)
	f.Method("parcel").RefusedText = "Not today"
	before := f.Clone()
	for _, at := range []TextAt{{Of: store.LabelText, ID: "parcel"}, {Of: store.RefusedText, ID: "parcel"}, {Of: store.PlaceText, ID: "workshop"},
		{Of: store.HoursText, ID: "workshop"}, {Of: store.BoxText, ID: f.Boxes[0].ID}} {
		at.Tag = "pt-br"
		require.NoError(t, SetText(f, at, "", " Olá "), at)
	}
	assert.Equal(t, store.Texts{"pt-BR": "Olá"}, f.Method("parcel").Labels, "languages are written as BCP 47 has them")
	assert.Nil(t, before.Method("parcel").Labels, "a copy stays as it is")
	assert.Equal(t, []string{"pt-BR"}, f.Languages())
	read, faults := store.Read(f.Write())
	require.Empty(t, faults)
	assert.Equal(t, f.Location("workshop").HoursTexts, read.Location("workshop").HoursTexts)
	at := TextAt{Of: store.LabelText, ID: "parcel", Tag: "pt-BR"}
	var conflict *Conflict
	require.True(t, errors.As(SetText(f, at, "", "Bom dia"), &conflict))
	assert.Equal(t, "Olá", conflict.Now)
	require.NoError(t, SetText(f, at, "Olá", ""))
	assert.Nil(t, f.Method("parcel").Labels)
	for _, bad := range []struct {
		at    TextAt
		typed string
	}{{TextAt{Of: store.LabelText, ID: "gone", Tag: "fi"}, "x"}, {TextAt{Of: store.LabelText, ID: "parcel", Tag: "no language"}, "x"},
		{TextAt{Of: "other", ID: "parcel", Tag: "fi"}, "x"}, {TextAt{Of: store.ServiceText, ID: "parcel", Tag: "fi"}, "x"},
		{TextAt{Of: store.LabelText, ID: "parcel", Tag: "fi"}, strings.Repeat("x", 301)}} {
		assert.Error(t, SetText(f, bad.at, "", bad.typed), bad.at)
	}
	_, faults = store.Read(
		[]byte(
			`{"format":"diadrom-store/1","store":{"currency":"EUR"},"boxes":[{"id":"a","length":"1","width":"1","height":"1",
		"names":{"english":"x","fi":"y","fi-":5}}]}`,
		),
	)
	assert.NotEmpty(t, faults)
}
