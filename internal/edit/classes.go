package edit

import (
	"cmp"
	"slices"

	"diadrom/internal/core/store"
	"diadrom/internal/tables/productlist"
)

// maxNote is the longest note of a class, in letters.
const maxNote = 200

// AddClass adds a shipping class by its name as it is typed.
func AddClass(f *store.File, typed string) error {
	name, err := Name(typed)
	if err != nil {
		return err
	}
	if id, err := productlist.ClassOf(f, name); err == nil {
		return Problemf("there is a class called %s already", f.ClassName(id))
	}
	id := store.NewID(name, "class", func(id string) bool { return f.Class(id) != nil })
	f.Classes = append(f.Classes, store.Class{ID: id, Name: name})
	return nil
}

// NameClass names a class as it is typed, as no other one is called.
func NameClass(f *store.File, class *store.Class, typed string) error {
	name, err := Name(typed)
	if err != nil {
		return err
	}
	if other, err := productlist.ClassOf(f, name); err == nil && other != class.ID {
		return Problemf("another class is called %s already", name)
	}
	class.Name = name
	return nil
}

// NoteClass sets the note of a class as it is typed.
func NoteClass(class *store.Class, typed string) error {
	note, err := Line(typed)
	if err != nil {
		return err
	}
	if n := len([]rune(note)); n > maxNote {
		return Problemf("a note has at most %d letters; this has %d", maxNote, n)
	}
	class.Note = note
	return nil
}

// RemoveClass removes a class that no method names; its products have none then.
func RemoveClass(f *store.File, id string) error {
	for i := range f.Methods {
		if m := &f.Methods[i]; namesClass(m, id) {
			return Problemf("%s names this class: remove it there first", cmp.Or(m.Name, m.ID))
		}
	}
	for i := range f.Costs {
		for j := range f.Costs[i].Tables {
			if c := &f.Costs[i]; slices.Contains(c.Tables[j].Classes, id) {
				return Problemf("the costs %s name this class: remove it there first", costName(c))
			}
		}
	}
	for i := range f.Products {
		if f.Products[i].Class == id {
			f.Products[i].Class = ""
		}
	}
	f.Classes = slices.DeleteFunc(f.Classes, func(c store.Class) bool { return c.ID == id })
	return nil
}

// namesClass says whether a method's conditions or price lists name a class.
func namesClass(m *store.Method, id string) bool {
	asks := func(n *store.Needs) bool {
		return n != nil && (slices.Contains(n.OnlyClasses, id) || slices.Contains(n.WithoutClasses, id))
	}
	for i := range m.Tables {
		if slices.Contains(m.Tables[i].Classes, id) {
			return true
		}
	}
	for _, t := range m.Terms {
		if asks(t.Needs) {
			return true
		}
	}
	return asks(m.Needs)
}
