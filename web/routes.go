package web

import "net/http"

// route is one line of the table of contents: what is reached, what the
// permission table must allow for it, and what answers. An empty need is open
// to strangers and has no session; signingIn is open and has one.
type route struct {
	method, pattern, needs string
	handle                 func(http.ResponseWriter, *http.Request) error
}

const signingIn = "(signing in)"

func (s *Server) routes() []route {
	return []route{
		{"GET", "/healthz", "", s.healthz},
		{"GET", "/readyz", "", s.readyz},
		{"GET", "/static/*", "", s.static},
		{"GET", "/favicon.ico", "", s.favicon},

		{"GET", "/signin", signingIn, s.signInPage},
		{"POST", "/signin", signingIn, s.signIn},
		{"GET", "/welcome", signingIn, s.welcomePage},
		{"GET", "/welcome/{token}", signingIn, s.welcomePage},
		{"POST", "/welcome/{token}", signingIn, s.choosePassword},
		{"POST", "/signout", "self", s.signOut},
		{"GET", "/", "self", s.home},

		{"GET", "/clock", "clock.see", s.clockPage},
		{"GET", "/clock/jobs", "clock.see", s.clockJobs},
		{"POST", "/clock/position", "clock.see", s.choosePosition},
		{"POST", "/clock/punch", "clock.punch", s.punch},
		{"POST", "/clock/place", "clock.punch", s.seePlace},
		{"POST", "/clock/note", "note.add", s.addNote},
		{"POST", "/clock/sign", "card.sign", s.signOwn},

		{"GET", "/today", "today.see", s.todayPage},
		{"GET", "/timecards", "timecards.see", s.timecardsPage},
		{"POST", "/timecards/approve", "card.approve", s.approveClear},
		{"POST", "/timecards/sign", "card.sign", s.signClear},
		{"POST", "/timecards/take-back", "card.take_back", s.takeBackBatch},
		{"GET", "/timecards/sheets", "timecards.see", s.sheetsPage},
		{"GET", "/cards/{employment}/{date}", "card.see", s.cardPage},
		{"POST", "/cards/{employment}/{date}/sign", "card.sign", s.signCard},
		{"POST", "/cards/{employment}/{date}/approve", "card.approve", s.approveCard},
		{"POST", "/cards/{employment}/{date}/take-back", "card.take_back", s.takeBackCard},

		{"GET", "/payruns", "payrun.see", s.payRunPage},
		{"GET", "/payruns/{run}", "payrun.see", s.payRunPage},
		{"POST", "/payruns", "payrun.close", s.closeRun},
		{"GET", "/payruns/{run}/lines.csv", "payrun.download", s.runCSV},

		{"GET", "/people", "people.see", s.peoplePage},
		{"GET", "/people/export.csv", "people.see", s.peopleCSV},
		{"POST", "/people/columns", "people.see", s.putColumns},
		{"GET", "/people/new", "people.add", s.newPersonPage},
		{"POST", "/people", "people.add", s.addPerson},
		{"GET", "/people/many", "people.change", s.manyPage},
		{"POST", "/people/many", "people.change", s.changeMany},
		{"POST", "/people/undo", "people.change", s.undoChanges},
		{"GET", "/people/file", "people.import", s.filePage(peopleFiles)},
		{"GET", "/people/template.csv", "people.import", s.peopleTemplate},
		{"POST", "/people/file", "people.import", s.takeFile(peopleFiles)},
		{"GET", "/people/file/{import}", "people.import", s.importPage(peopleFiles)},
		{"POST", "/people/file/{import}/match", "people.import", s.matchColumns(peopleFiles)},
		{"POST", "/people/file/{import}/in", "people.import", s.bringIn(peopleFiles)},
		{"GET", "/people/file/{import}/progress", "people.import", s.importProgress(peopleFiles)},
		{"GET", "/people/{person}", "people.see", s.personPage},
		{"POST", "/people/{person}/set", "people.change", s.setPerson},
		{"POST", "/people/{person}/positions", "people.change", s.addPosition},
		{"POST", "/people/{person}/pin", "people.change", s.setPIN},
		{"POST", "/people/{person}/codes", "people.change", s.putPersonCode},
		{"POST", "/people/{person}/end", "people.change", s.endPerson},
		{"POST", "/people/{person}/back", "people.change", s.bringBack},
		{"POST", "/people/{person}/erase", "people.erase", s.erasePerson},
		{"POST", "/people/{person}/signin", "people.change", s.giveSignIn},
		{"POST", "/people/{person}/signin/take", "people.change", s.takeSignIn},
		{"POST", "/people/{person}/rights", "people.grant", s.grantRight},
		{"POST", "/people/{person}/rights/{grant}/take", "people.grant", s.takeRight},

		{"GET", "/jobs", "jobs.see", s.jobsPage},
		{"GET", "/jobs/export.csv", "jobs.see", s.jobsCSV},
		{"GET", "/jobs/template.csv", "jobs.change", s.jobsTemplate},
		{"GET", "/jobs/file", "jobs.change", s.filePage(jobFiles)},
		{"POST", "/jobs/file", "jobs.change", s.takeFile(jobFiles)},
		{"GET", "/jobs/file/{import}", "jobs.change", s.importPage(jobFiles)},
		{"POST", "/jobs/file/{import}/match", "jobs.change", s.matchColumns(jobFiles)},
		{"POST", "/jobs/file/{import}/in", "jobs.change", s.bringIn(jobFiles)},
		{"GET", "/jobs/file/{import}/progress", "jobs.change", s.importProgress(jobFiles)},
		{"POST", "/jobs", "jobs.change", s.addJob},
		{"GET", "/jobs/{job}", "jobs.see", s.jobPage},
		{"POST", "/jobs/{job}/set", "jobs.change", s.setJob},
		{"POST", "/jobs/{job}/tasks", "jobs.change", s.addTasks},
		{"POST", "/jobs/{job}/estimate", "jobs.change", s.takeEstimate},
		{"POST", "/jobs/{job}/join", "jobs.change", s.joinTasks},
		{"POST", "/jobs/{job}/tasks/{task}/set", "jobs.change", s.setTask},
		{"POST", "/jobs/{job}/tasks/{task}/split", "jobs.change", s.splitTask},
		{"POST", "/jobs/{job}/tasks/{task}/close", "jobs.change", s.closeTask},
		{"POST", "/jobs/{job}/open", "jobs.change", s.openJobTo},
		{"POST", "/jobs/{job}/open/{entry}/close", "jobs.change", s.closeJobTo},
		{"POST", "/jobs/{job}/wages", "jobs.change", s.setWage},
		{"POST", "/jobs/{job}/codes", "jobs.change", s.putJobCode},

		{"GET", "/customers/{customer}", "jobs.see", s.customerPage},
		{"POST", "/customers/{customer}/name", "jobs.change", s.renameCustomer},
		{"POST", "/customers/{customer}/share", "customers.share", s.shareHours},
		{"POST", "/customers/{customer}/share/{link}/take", "customers.share", s.takeShare},
		{"GET", "/hours/{token}", "", s.sharedHours}, // the link says who may
		{"GET", "/hours/{token}/hours.csv", "", s.sharedHoursCSV},

		{"GET", "/setup", "setup.see", s.setupPage},
		{"GET", "/setup/begin", "setup.change", s.beginPage},
		{"POST", "/setup/begin", "setup.change", s.takeStep},
		{"POST", "/setup/begin/leave", "setup.change", s.leaveSteps},
		{"POST", "/setup/set", "setup.change", s.setCompany},
		{"POST", "/setup/mark", "setup.change", s.setMark},
		{"POST", "/setup/samples", "setup.change", s.addSamples},
		{"POST", "/setup/samples/drop", "setup.change", s.dropSamples},
		{"POST", "/setup/map", "setup.change", s.setMap},
		{"GET", "/mark.png", "self", s.mark},
		{"POST", "/setup/sites", "setup.change", s.putSite},
		{"POST", "/setup/units", "setup.change", s.putUnit},
		{"POST", "/setup/kinds", "setup.change", s.putKind},
		{"POST", "/setup/fields", "setup.change", s.putOwnField},
		{"POST", "/setup/fields/{field}/drop", "setup.change", s.dropOwnField},
		{"POST", "/setup/holidays", "setup.change", s.putHoliday},
		{"POST", "/setup/holidays/drop", "setup.change", s.dropHoliday},
		{"POST", "/setup/holidays/fill", "setup.change", s.fillHolidays},
		{"GET", "/setup/rules", "setup.see", s.rulesPage},
		{"POST", "/setup/rules", "setup.change", s.putRules},
		{"POST", "/setup/rules/drop", "setup.change", s.dropRules},
		{"GET", "/setup/codes", "setup.see", s.codesPage},
		{"POST", "/setup/codes", "setup.change", s.putCode},
		{"POST", "/setup/codes/order", "setup.change", s.putCodeOrder},
		{"POST", "/setup/costcodes", "setup.change", s.putCostCode},
		{"POST", "/setup/classes", "setup.change", s.putClass},
		{"GET", "/setup/audit", "audit.see", s.auditPage},

		{"GET", "/find", "find", s.find},
		{"GET", "/live", "live.follow", s.live},
	}
}
