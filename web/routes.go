package web

import (
	"slices"

	"manudex/app/bringin"
)

// route is one line of the table of contents: what is reached, what the
// permission table must allow for it, and what answers. An empty need is open
// to strangers and has no session; signingIn is open and has one.
type route struct {
	method, pattern, needs string
	handle                 handler
}

const signingIn = "(signing in)"

func (s *Server) routes() []route {
	return slices.Concat(s.pageRoutes(), s.apiRoutes(), s.fileRoutes(peopleFiles), s.fileRoutes(jobFiles), s.fileRoutes(dayFiles),
		s.fileRoutes(yearFiles), s.fileRoutes(holidayFiles))
}

// fileRoutes are those of a kind of file that is brought in.
func (s *Server) fileRoutes(words fileWords) []route {
	needs := bringin.TakeFile{Kind: words.Kind}.Permission()
	return []route{
		{"GET", words.Path, needs, s.filePage(words)},
		{"GET", words.Template(), needs, s.fileTemplate(words)},
		{"POST", words.Path, needs, s.takeFile(words)},
		{"GET", words.Path + "/{import}", needs, s.importPage(words)},
		{"POST", words.Path + "/{import}/match", needs, s.matchColumns(words)},
		{"POST", words.Path + "/{import}/manner", needs, s.readColumnAs(words)},
		{"POST", words.Path + "/{import}/right", needs, s.putRight(words)},
		{"POST", words.Path + "/{import}/in", needs, s.bringIn(words)},
		{"GET", words.Path + "/{import}/progress", needs, s.importProgress(words)},
	}
}

func (s *Server) pageRoutes() []route {
	return []route{
		{"GET", "/healthz", "", s.healthz},
		{"GET", "/readyz", "", s.readyz},
		{"GET", "/static/*", "", s.static},
		{"GET", "/trust", "", s.trustPage},
		{"GET", "/trust/authority.crt", "", s.authorityFile},
		{"GET", "/favicon.ico", "", s.favicon},

		{"GET", "/signin", signingIn, s.signInPage},
		{"POST", "/signin", signingIn, s.signIn},
		{"GET", "/signin/code", signingIn, s.codePage},
		{"POST", "/signin/code", signingIn, s.typeCode},
		{"GET", "/signin/forgot", signingIn, s.forgotPage},
		{"POST", "/signin/forgot", signingIn, s.forgot},
		{"GET", "/signin/end/{token}", signingIn, s.endPage},
		{"POST", "/signin/end/{token}", signingIn, s.endSessions},
		{"POST", "/undo", "undo", s.undo},
		{"GET", "/me", "self", s.mePage},
		{"GET", "/me/everything.json", "self", s.heavily(s.everythingOfMe)},
		{"POST", "/me/language", "self", s.chooseLanguage},
		{"POST", "/me/password", "self", s.changePassword},
		{"POST", "/me/sessions/end", "self", s.endMySessions},
		{"POST", "/me/code", "self", s.beginCode},
		{"POST", "/me/code/confirm", "self", s.confirmCode},
		{"POST", "/me/code/drop", "self", s.dropCode},
		{"GET", "/welcome", signingIn, s.welcomePage},
		{"POST", "/welcome", signingIn, s.typeWelcome},
		{"GET", "/welcome/{token}", signingIn, s.welcomePage},
		{"POST", "/welcome/{token}", signingIn, s.choosePassword},
		{"POST", "/signout", "self", s.signOut},
		{"GET", "/", "self", s.home},

		{"GET", "/clock", "clock.see", s.clockPage},
		{"GET", "/clock/jobs", "clock.see", s.clockJobs},
		{"GET", "/clock/days", "clock.see", s.ownDays},
		{"POST", "/clock/position", "clock.see", s.choosePosition},
		{"POST", "/clock/punch", "clock.punch", s.punch},
		{"POST", "/clock/place", "clock.punch", s.seePlace},
		{"POST", "/clock/note", "note.add", s.addNote},
		{"POST", "/clock/sign", "card.sign", s.signOwn},

		{"GET", "/today", "today.see", s.todayPage},
		{"GET", "/today/map", "today.see", s.mapPage},
		{"GET", "/today/decisions", "today.see", s.decisionsPart},
		{"GET", "/timecards", "timecards.see", s.timecardsPage},
		{"POST", "/timecards/approve", "card.approve", s.approveClear},
		{"POST", "/timecards/findings", "timecards.find", s.keepFinding},
		{"POST", "/timecards/findings/{finding}/drop", "timecards.find", s.dropFinding},
		{"POST", "/timecards/looked", "timecards.find", s.looked},
		{"POST", "/timecards/remind", "card.remind", s.remind},
		{"POST", "/timecards/ticked", "card.approve", s.approveTicked},
		{"GET", "/timecards/change", "time.edit", s.changeSamePage},
		{"POST", "/timecards/change", "time.edit", s.changeSame},
		{"POST", "/timecards/sign", "card.sign", s.signClear},
		{"GET", "/timecards/sheets", "timecards.see", s.heavily(s.sheetsPage)},
		{"GET", "/cards/{employment}/{date}", "card.see", s.cardPage},
		{"GET", "/claims", "time.edit", s.claimsPage},
		{"POST", "/claims/{claim}/take", "time.edit", s.takeClaim},
		{"POST", "/claims/{claim}/decline", "time.edit", s.declineClaim},
		{"POST", "/cards/{employment}/{date}/end", "time.say", s.endStint},
		{"POST", "/cards/{employment}/{date}/sign", "card.sign", s.signCard},
		{"POST", "/cards/{employment}/{date}/approve", "card.approve", s.approveCard},
		{"POST", "/cards/{employment}/{date}/take-back", "card.take_back", s.takeBackCard},
		{"POST", "/cards/{employment}/{date}/send-back", "card.send_back", s.sendBackCard},
		{"POST", "/cards/{employment}/{date}/hold", "card.approve", s.holdCard},
		{"POST", "/cards/{employment}/{date}/release", "card.approve", s.releaseCard},
		{"POST", "/cards/{employment}/{date}/note", "note.add", s.noteOnCard},
		{"POST", "/cards/{employment}/{date}/amend", "time.edit", s.amendCard},
		{"POST", "/cards/{employment}/{date}/ask", "time.ask", s.askChange},
		{"POST", "/cards/{employment}/{date}/object", "card.object", s.objectTo},
		{"GET", "/cards/{employment}/{date}/jobs", "card.see", s.cardJobs},
		{"POST", "/requests/{request}/take", "time.edit", s.takeRequest},
		{"POST", "/requests/{request}/decline", "time.edit", s.declineRequest},
		{"POST", "/objections/{objection}/answer", "card.approve", s.answerObjection},

		{"GET", "/payruns", "payrun.see", s.heavily(s.payRunPage)},
		{"GET", "/payruns/{run}", "payrun.see", s.heavily(s.payRunPage)},
		{"GET", "/payruns/close", "payrun.close", s.heavily(s.closePage)},
		{"POST", "/payruns", "payrun.close", s.heavily(s.closeRun)},
		{"GET", "/payruns/{run}/lines.csv", "payrun.download", s.heavily(s.runCSV)},

		{"GET", "/people", "people.see", s.peoplePage},
		{"GET", "/people/export.csv", "people.see", s.heavily(s.peopleCSV)},
		{"POST", "/people/columns", "people.see", s.putColumns},
		{"GET", "/people/new", "people.add", s.newPersonPage},
		{"POST", "/people", "people.add", s.addPerson},
		{"GET", "/people/many", "people.change", s.manyPage},
		{"POST", "/people/many", "people.change", s.changeMany},
		{"GET", "/people/{person}", "people.see", s.personPage},
		{"POST", "/people/{person}/set", "people.change", s.setPerson},
		{"POST", "/people/{person}/positions", "people.change", s.addPosition},
		{"POST", "/people/{person}/pin", "people.change", s.setPIN},
		{"POST", "/people/{person}/codes", "people.change", s.putPersonCode},
		{"POST", "/people/{person}/end", "people.change", s.endPerson},
		{"POST", "/people/{person}/back", "people.change", s.bringBack},
		{"GET", "/people/{person}/everything.json", "people.erase", s.heavily(s.everythingOf)},
		{"POST", "/people/{person}/erase", "people.erase", s.erasePerson},
		{"POST", "/people/signins", "people.change", s.giveSignIns},
		{"POST", "/people/{person}/signin", "people.change", s.giveSignIn},
		{"POST", "/people/{person}/signin/take", "people.change", s.takeSignIn},
		{"POST", "/people/{person}/code/reset", "people.change", s.resetCode},
		{"GET", "/setup/work", "setup.see", s.workPage},
		{"POST", "/setup/work/{work}/again", "setup.change", s.workAgain},
		{"GET", "/setup/rights", "audit.see", s.rightsPage},
		{"POST", "/setup/rights/auditor", "people.grant", s.addAuditor},
		{"POST", "/people/{person}/rights", "people.grant", s.grantRight},
		{"POST", "/people/{person}/rights/{grant}/take", "people.grant", s.takeRight},

		{"GET", "/jobs", "jobs.see", s.jobsPage},
		{"GET", "/jobs/export.csv", "jobs.see", s.heavily(s.jobsCSV)},
		{"POST", "/jobs", "jobs.change", s.addJob},
		{"GET", "/jobs/{job}", "jobs.see", s.jobPage},
		{"POST", "/jobs/{job}/set", "jobs.change", s.setJob},
		{"POST", "/jobs/{job}/tasks", "jobs.change", s.addTasks},
		{"POST", "/jobs/{job}/estimate", "jobs.change", s.takeEstimate},
		{"POST", "/jobs/{job}/tasks/{task}/as", "jobs.change", s.workAs},
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
		{"GET", "/setup/on/{subject}", "setup.see", s.setupPage},
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
		{"POST", "/setup/flags", "setup.change", s.putFlags},
		{"POST", "/setup/units", "setup.change", s.putUnit},
		{"POST", "/setup/kinds", "setup.change", s.putKind},
		{"POST", "/setup/periods", "setup.change", s.putPeriodGroup},
		{"POST", "/setup/periods/drop", "setup.change", s.dropPeriodGroup},
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
		{"GET", "/setup/audit.csv", "audit.see", s.heavily(s.auditCSV)},

		{"GET", "/guide", "self", s.guidePage},
		{"GET", "/guide/{page}", "self", s.guidePage},
		{"POST", "/setup/asks", "setup.change", s.putAsk},
		{"POST", "/setup/parts", "setup.change", s.putAway},
		{"POST", "/setup/points", "setup.change", s.putPoint},
		{"POST", "/setup/points/{point}/close", "setup.change", s.closePoint},
		{"POST", "/setup/points/{point}/keys", "setup.change", s.giveKey},
		{"POST", "/setup/keys/{key}/end", "setup.change", s.endKey},
		{"POST", "/setup/asks/{ask}/drop", "setup.change", s.dropAsk},
		{"GET", "/find", "find", s.find},
		{"GET", "/live", "live.follow", s.live},
	}
}
