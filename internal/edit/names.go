package edit

import (
	"strconv"
	"strings"

	"diadrom/internal/core/oneline"
)

// MaxName is the longest name that is taken from owners, in letters.
const MaxName = 80

// Line reads a text of one line as it is typed; it may be empty.
func Line(typed string) (string, error) {
	line, err := oneline.Read(typed)
	if err != nil {
		return "", Problemf("%s", err.Error())
	}
	return line, nil
}

// Name reads a name as it is typed: one line of 1 to [MaxName] letters.
func Name(typed string) (string, error) {
	name, err := Line(typed)
	if err != nil {
		return "", err
	}
	switch n := len([]rune(name)); {
	case n == 0:
		return "", Problemf("a name is needed")
	case n > MaxName:
		return "", Problemf("a name has at most %d letters; this has %d", MaxName, n)
	}
	return name, nil
}

// FirstFew names the first three of a list, and how many more there are.
func FirstFew(list []string) string {
	text := strings.Join(list[:min(3, len(list))], ", ")
	if n := len(list); n > 3 {
		text += " and " + strconv.Itoa(n-3) + " more"
	}
	return text
}
