package workflow

import (
	"yoyaku/internal/ask"
	"yoyaku/internal/plan"
)

// NewWorkspace returns what answers are given from by a plan: its settings, series, records,
// calendars and released dates. Who asks adds the streams, and where notes go.
func NewWorkspace(p *plan.Plan) ask.Workspace { return newWorkspace(newLedger(p), newRecordMaker(p)) }

// newWorkspace is the one place where a workspace is filled.
func newWorkspace(l *ledger, records *recordMaker) ask.Workspace {
	p := l.plan
	return ask.Workspace{Env: p.Env, ID: p.ID, Title: p.Title, Window: p.Window, Zone: p.Zone, Files: p.Files,
		Catalog: p, CommandRules: p.CommandRules, Ledger: l, FindRecord: records.find}
}
