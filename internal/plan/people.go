package plan

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// Owner is one of the people of a plan.
type Owner struct{ Name, Title, Mail string }

// contact is how an event names the owner.
func (o Owner) contact() string {
	switch {
	case o.Title == "":
		return o.Name
	case o.Mail == "":
		return o.Title
	}
	return fmt.Sprintf("%s <%s>", o.Title, o.Mail)
}

// OwnerNamed is the name of one of the people as the plan has it.
func (p *Plan) OwnerNamed(name string) (string, error) {
	if o := p.findOwner(name); o != nil {
		return o.Name, nil
	}
	var known []string
	for _, o := range p.Owners {
		known = append(known, o.Name)
	}
	hint := "add people under `people`"
	if near := phrase.Nearest(name, known); near != "" {
		hint = "did you mean `" + near + "`?"
	} else if known != nil {
		hint = "the people are " + phrase.ListNames(known)
	}
	return "", fmt.Errorf("unknown owner `%s`; %s", name, hint)
}

// findOwner is one of the people by name, or nil.
func (p *Plan) findOwner(name string) *Owner {
	if i := p.ownersAt.find(name, len(p.Owners), func(i int) string { return p.Owners[i].Name }); i >= 0 {
		return &p.Owners[i]
	}
	return nil
}

// Event makes the event of an entry of the plan.
func (p *Plan) Event(e schedule.Entry) schedule.Event {
	event := e.Event(p.ID)
	if event.Owner != "" {
		event.Contact = event.Owner
		if o := p.findOwner(event.Owner); o != nil {
			event.Owner, event.Contact = o.Name, o.contact()
		}
	}
	return event
}

// ownerRef is where a milestone names its owner.
type ownerRef struct {
	name, series string
	pos          Pos
}

func (o *Owner) group() *keyGroup {
	return &keyGroup{label: "a person", keys: []*declare.Key{
		{Name: "name", Help: "the name shown in calendars", Example: "Di Gull", Value: textKind.Into(&o.Title)},
		{Name: "mail", Help: "the e-mail address", Example: "di@skerry.example", Value: textKind.Into(&o.Mail)},
	}}
}

// addOwner reads one of `people`.
func (p *Plan) addOwner(v *node) error {
	if v.name == unowned {
		return v.fail("`%s` means no owner; choose another name", unowned)
	}
	o := Owner{Name: v.name}
	err := o.group().fill(rootNode(v.doc, v.name, v.valueNode))
	p.Owners = append(p.Owners, o)
	return err
}

// checkOwners finds milestones whose owner isn't one of the people.
func (p *Plan) checkOwners() error {
	for _, o := range p.ownerRefs {
		if _, err := p.OwnerNamed(o.name); err != nil {
			p.addFault(o.pos, o.series, "%v", err)
		}
	}
	return nil
}

// unowned stands for the tasks without an owner.
const unowned = "none"

// IsInWindow reports whether an event of the plan lies in a window: by its own day, or where
// occurrences are taken whole, by the moved date of its occurrence.
func (p *Plan) IsInWindow(uid string, when eval.Value, window civil.Span, whole bool) bool {
	if !whole {
		return window.Contains(when.Day)
	}
	series, what, id := ical.SplitUID(uid)
	if s := p.FindSeries(series); s != nil && what != "date" {
		if m, ok := s.FindDate(id); ok {
			return window.Contains(m.MovedTo)
		}
	}
	return window.Contains(when.Day)
}
