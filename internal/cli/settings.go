package cli

import (
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
	"yoyaku/internal/declare"
	"yoyaku/internal/files"
	"yoyaku/internal/plan"
	"yoyaku/internal/workflow"
)

// settings say where and when phrases are read.
type settings struct {
	app                                  *App
	plan, calendar, asOf, leap, language string
	fiscalOptions                        map[string]*string
	// files is the register of what is read and written, one for all plans of the command;
	// nil if each plan has its own.
	files *files.Registry
	hash  bool // what is read is hashed
	// ignoreBadPlan says that a plan of this folder that can't be read is left aside.
	ignoreBadPlan bool
	whatIf        plan.WhatIf
	rules         []string // NAME = RULE, for the command alone
}

// whatIfCommands are the commands of a plan that show what days that are closed or opened would do.
var whatIfCommands = []string{"check", "ahead", "compare"}

// settings adds the options that say when phrases are read, and with where also
// those that say by which plan and calendar.
func (a *App) settings(c *cobra.Command, where bool) *settings {
	s := &settings{app: a, fiscalOptions: map[string]*string{}, files: &files.Registry{}}
	options := []*declare.Key{
		{Name: "as-of", Help: "take `DATE` as today (default: YOYAKU_AS_OF, or the clock)", Value: declare.Text.Into(&s.asOf)},
	}
	if where {
		options = append(options,
			&declare.Key{Name: "language", Help: "read and write names of months and weekdays in language `CODE`,\nsuch as de (default: read any, write English)", Value: declare.Choice(language.Codes()...).Into(&s.language)},
			&declare.Key{Name: "plan", Help: "use the calendars, series and settings of plan `FILE`\n(default: yoyaku.yaml in this folder, if there is one)", Value: declare.Text.Into(&s.plan)},
			&declare.Key{Name: "calendar", Completion: "calendars", Help: "count with the working calendar `NAME`: of the plan, a public\none, several joined by +, a file, or (COL) for each row's own", Value: declare.Text.Into(&s.calendar)})
		options = append(options, plan.FiscalOptions(s.fiscalOptions)...)
		options = append(options,
			&declare.Key{Name: "leap-day", Help: "keep a 29 February on `DAY` in other years: 28-feb or 1-mar\n(default 28-feb)", Value: declare.Choice("28-feb", "1-mar").Into(&s.leap)})
	}
	if where || slices.Contains(whatIfCommands, c.Name()) {
		options = append(options, s.whatIf.Options()...)
	}
	addFlags(c, groupDays, options)
	s.completeOptions(c, options, nil)
	return s
}

// ruleOption declares the option that names rules for a command.
func (s *settings) ruleOption() *declare.Key {
	return &declare.Key{Name: "rule", Placeholder: `"NAME = RULE"`, Help: "use a rule as a series of the plan, such as\n\"wages = fortnightly on fri from 2027-01-08\"; may be repeated", Value: declare.Text.Repeat(&s.rules)}
}

// asOfDate is what today is said to be; None if it isn't.
func (s *settings) asOfDate() (civil.Date, error) {
	asOf, from := s.asOf, "--as-of"
	if asOf == "" {
		asOf, from = s.app.Getenv("YOYAKU_AS_OF"), "YOYAKU_AS_OF"
	}
	if asOf == "" {
		return civil.None, nil
	}
	d, _, ok := civil.Parse(strings.TrimSpace(asOf))
	if !ok {
		return d, usagef("%s: expected a date such as 2027-03-31, found %q", from, asOf)
	}
	return d, nil
}

// load reads the plan, if there is one, and the calendar.
func (s *settings) load() (*plan.Plan, error) { return s.loadCollecting(nil) }

// loadCollecting is load; if faults are collected the plan goes on without what is wrong.
func (s *settings) loadCollecting(c *plan.Collector) (*plan.Plan, error) {
	set := plan.Settings{Now: s.app.Now, LeapDayToMarch: s.leap == "1-mar", Collector: c, Files: s.files, Hash: s.hash, WhatIf: s.whatIf, Calendar: s.calendar, Fiscal: map[string]string{}}
	for name, text := range s.fiscalOptions {
		set.Fiscal[name] = *text
	}
	if s.leap != "" && s.leap != "28-feb" && s.leap != "1-mar" {
		return nil, usagef("--leap-day: expected 28-feb or 1-mar, found %q", s.leap)
	}
	var err error
	if s.language != "" {
		if set.Language, err = language.Find(s.language); err != nil {
			return nil, usagef("--language: %v", err)
		}
	}
	if set.AsOf, err = s.asOfDate(); err != nil {
		return nil, err
	}
	path := s.plan
	if path == "" {
		if _, err := os.Stat(plan.FileName); err == nil {
			path = plan.FileName
		}
	}
	if path == "" {
		return plan.NewEmpty(set)
	}
	p, err := plan.Load(path, set)
	if err != nil && s.ignoreBadPlan && s.plan == "" {
		s.app.warn("%s can't be read; this command goes on without it: %s", path, strings.TrimPrefix(strings.SplitN(strings.TrimSpace(errorText(err)), "\n", 2)[0], "yoyaku: "))
		p, err = plan.NewEmpty(set)
	}
	return p, err
}

// plans loads the plans that a command is given, or that of this folder. Their ids
// differ, by which events are known.
func (s *settings) plans(args []string, command string) (list []*plan.Plan, err error) {
	if len(args) == 0 {
		if err := s.planArgument(nil, command); err != nil {
			return nil, err
		}
		args = []string{s.plan}
	}
	for _, path := range args {
		one := *s
		one.plan = path
		p, err := one.load()
		if err != nil {
			return nil, err
		}
		list = append(list, p)
	}
	return list, workflow.CheckDistinctIDs(list)
}

// loadJoined loads the plan of the settings; or several that are named, whose series then
// are beside those of the first.
func (s *settings) loadJoined(paths []string, command string) (*plan.Plan, error) {
	if len(paths) == 0 {
		return s.load()
	}
	plans, err := s.plans(paths, command)
	if err != nil {
		return nil, err
	}
	for _, p := range plans[1:] {
		plans[0].Join(p)
	}
	return plans[0], nil
}
