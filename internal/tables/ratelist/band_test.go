package ratelist

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Bands as carriers write them; common practice, no source.
func TestBandsAsListsWriteThem(t *testing.T) {
	for cell, want := range map[string]Band{
		"0–1":                    {From: "0", To: "1"},
		"0-1 kg":                 {From: "0", To: "1", Unit: "kg"},
		"0 kg - 1 kg":            {From: "0", To: "1", Unit: "kg"},
		"1 to 2 kg":              {From: "1", To: "2", Unit: "kg"},
		"0,5 – 1,5":              {From: "0,5", To: "1,5"},
		"1.001 - 2.000 kg":       {From: "1.001", To: "2.000", Unit: "kg"},
		"500 g":                  {To: "500", Unit: "g", Bare: true},
		"5":                      {To: "5", Bare: true},
		"up to 5":                {To: "5"},
		"Up to 5 kg":             {To: "5", Unit: "kg"},
		"≤ 5":                    {To: "5"},
		"<= 5kg":                 {To: "5", Unit: "kg"},
		"max. 5 kg":              {To: "5", Unit: "kg"},
		"bis 5 kg":               {To: "5", Unit: "kg"},
		"bis zu 31,5 kg":         {To: "31,5", Unit: "kg"},
		"jusqu'à 5 kg":           {To: "5", Unit: "kg"},
		"hasta 5 kg":             {To: "5", Unit: "kg"},
		"enintään 5 kg":          {To: "5", Unit: "kg"},
		"upp till 5 kg":          {To: "5", Unit: "kg"},
		"5 kg or less":           {To: "5", Unit: "kg"},
		"over 30":                {From: "30", Over: true},
		"Over 30 kg":             {From: "30", Unit: "kg", Over: true},
		"> 30":                   {From: "30", Over: true},
		"30+":                    {From: "30"},
		"30 kg +":                {From: "30", Unit: "kg"},
		"ab 30 kg":               {From: "30", Unit: "kg"},
		"über 30 kg":             {From: "30", Unit: "kg", Over: true},
		"plus de 30 kg":          {From: "30", Unit: "kg", Over: true},
		"yli 30 kg":              {From: "30", Unit: "kg", Over: true},
		"30 kg and over":         {From: "30", Unit: "kg"},
		"over 5 up to 10 kg":     {From: "5", To: "10", Unit: "kg", Over: true},
		"über 5 bis 10 kg":       {From: "5", To: "10", Unit: "kg", Over: true},
		"from 1 kg to 2 kg":      {From: "1", To: "2", Unit: "kg"},
		"under 5 kg":             {To: "5", Unit: "kg", Under: true},
		"500 g – 1 kg":           {From: "500", To: "1", Unit: "kg", FromUnit: "g"},
		"per 100 kg":             {Every: "100", Unit: "kg", Whole: true},
		"first kg":               {To: "1", Unit: "kg"},
		"first 2 kg":             {To: "2", Unit: "kg"},
		"S (0–2 kg)":             {From: "0", To: "2", Unit: "kg"},
		"Parcel up to 5 kg":      {To: "5", Unit: "kg"},
		"Paket bis 10 kg":        {To: "10", Unit: "kg"},
		"1 - < 5":                {From: "1", To: "5", Under: true},
		"De 1 à 2 kg":            {From: "1", To: "2", Unit: "kg"},
		"between 2 and 5 kg":     {From: "2", To: "5", Unit: "kg"},
		"each further kg":        {Every: "1", Unit: "kg"},
		"each additional 0.5 kg": {Every: "0.5", Unit: "kg"},
		"+ 1 kg":                 {Every: "1", Unit: "kg"},
		"je weitere kg":          {Every: "1", Unit: "kg"},
		"par kg supplémentaire":  {Every: "1", Unit: "kg"},
		"varje ytterligare kg":   {Every: "1", Unit: "kg"},
	} {
		got, ok := ParseBand(cell)
		assert.True(t, ok, cell)
		assert.Equal(t, want, got, cell)
	}
	for _, cell := range []string{"", "Finland", "weight", "on request", "5 x 3", "2026-01-01",
		"up to", "-", "EU (27)", "Zone 1 (FI)",
		"FI 22100 to 22999", "10 kg 5", "free over 50 per order", "each further", "+"} {
		_, ok := ParseBand(cell)
		assert.False(t, ok, cell)
	}
}

func FuzzBand(f *testing.F) {
	for _, cell := range []string{"0–1 kg", "over 5 up to 10", "each further 0.5 kg", "30+", "≤5"} {
		f.Add(cell)
	}
	f.Fuzz(func(t *testing.T, cell string) {
		b, ok := ParseBand(cell)
		if ok && b.From == "" && b.To == "" && b.Every == "" {
			t.Fatalf("%q is a band of nothing", cell)
		}
	})
}
