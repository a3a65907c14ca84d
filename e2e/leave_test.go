package e2e

import (
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
)

// Leave is asked for on a phone, which says what it costs; the desk approves it; the phone and
// the roster show it.
func TestLeaveIsAskedFor(t *testing.T) {
	s := open(t)
	phone, desk := s.device(390, 844), s.device(1280, 800)
	phone.signIn("Dao Pham")
	phone.open("/shifts")
	phone.press("My leave")
	box := phone.sees(".balanceof",
		"Annual leave[^]*92.00 hours can be taken[^]*Came[^]*124.00[^]*Went[^]*32.00[^]*Lost unless taken[^]*32.00")
	// A hand along the picture reads any day: by arrows, or a typed date.
	picture := box.MustElement("svg.balanceline").MustFocus()
	picture.MustType(input.End)
	phone.sees(".balanceof .reads", "^200.00$")
	for range 2 {
		picture.MustType(input.PageDown)
	}
	phone.sees(".balanceof .reads", "^180.00$")
	box.MustElement(`[name="on"]`).MustInputTime(time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC))
	phone.sees(".balanceof .reads", "^80.00$")
	picture.MustClick() // in its middle
	phone.sees(".balanceof .reads", "^(112|80|90|102).00$")
	form := phone.sees("#ask", "What does it come to")
	on := func(name string, day int) {
		form.MustElement(`[name="` + name + `"]`).MustInputTime(time.Date(2026, 11, day, 0, 0, 0, 0, time.UTC))
	}
	on("from", 20)
	on("to", 23)
	form.MustElement(`[name="note"]`).MustInput("a wedding")
	phone.press("What does it come to")
	phone.sees("#ask .costs", "Fri 20 Nov: 8:00[^]*Sat 21 Nov: no working day[^]*Sun 22 Nov: no working day[^]*Mon 23 Nov: 8:00")
	phone.sees("#ask",
		"Together 16:00 · balance after it 76.00[^]*lowest 76.00, Mon 23 Nov"+
			"[^]*Left of your crew to work: 5[^]*Fri 20 Nov – Mon 23 Nov: a shift is planned from")
	phone.fits("my leave")
	phone.accessible("my leave", "all")
	s.shot(phone, "leave")
	phone.press("^Ask for it$")
	phone.sees(".ownday", "Fri 20 Nov – Mon 23 Nov · Annual leave · 16:00 · asked for")

	desk.signIn("Mira Castellane")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	desk.sees("tr.r", "Dao Pham[^]*asks for leave: Annual leave")
	desk.press("Leave asked for")
	row := desk.sees("tr.r", "Dao Pham[^]*Fri 20 Nov – Mon 23 Nov[^]*2 days, 16:00[^]*a wedding")
	desk.fits("leave asked for")
	desk.accessible("leave asked for", "all")
	row.MustElement(`[name="request"]`).MustClick()
	desk.press("Approve those who are ticked")
	desk.sees(".said", "Approved, and they are told")
	phone.open("/leave")
	phone.sees(".ownday", "16:00 · approved")
	phone.MustElementR("summary", "Line by line").MustClick()
	phone.sees(".balanceof details[open]", "earned[^]*10.00[^]*brought in[^]*24.00")
	phone.fits("my balance")
	phone.accessible("my balance", "all")
	desk.open("/timecards?day=2026-11-20&q=Dao")
	desk.sees("tr.r", "Dao Pham[^]*Annual leave")
	desk.open("/leave/asked")
	enter := desk.sees("form.entry", "Enter it")
	enter.MustElement(`[name="who"]`).MustInput("Abena Farouk")
	enter.MustElement(`[name="from"]`).MustInputTime(time.Date(2026, 11, 19, 0, 0, 0, 0, time.UTC))
	enter.MustElement(`[name="to"]`).MustInputTime(time.Date(2026, 11, 19, 0, 0, 0, 0, time.UTC))
	desk.press("^Enter it$")
	desk.sees(".said", "Entered, and they are told")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Abena")
	desk.sees("tr.r", "Abena Farouk[^]*on leave: Annual leave")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	desk.sees("tr.r", "Dao Pham[^]*on leave: Annual leave")
}

// A policy is tried before it holds, added, and given to a crew; the phone shows it.
func TestAPolicyOfLeave(t *testing.T) {
	s := open(t)
	phone, desk := s.device(390, 844), s.device(1280, 800)
	phone.signIn("Dao Pham")
	desk.signIn("Mira Castellane")
	desk.open("/setup/leave")
	desk.sees("fieldset", "Kinds of leave")
	desk.fits("kinds of leave")
	desk.accessible("kinds of leave", "all")
	desk.MustElement(`[name="ready"]`).MustSelect("8 hours a month, a cap of 240")
	desk.press("^Try it$")
	desk.sees(".trial", "most 240.00")
	desk.sees("table.sums", "earned[^]*192.00")
	fields := desk.sees(".policyform", "Its fields")
	set := func(name, value string) {
		fields.MustElement(`[name="` + name + `"]`).MustSelectAllText().MustInput(value)
	}
	set("name", "By service")
	set("steps", "12: 10")
	set("cap", "x")
	fields.MustElementR("button", "Try it").MustClick()
	desk.sees(".flagline", "The policy says policy.cap")
	fields = desk.sees(".policyform", "Its fields")
	set("cap", "100")
	fields.MustElementR("button", "Try it").MustClick()
	desk.sees("table.sums", "over the highest balance")
	desk.fits("a policy of leave")
	desk.accessible("a policy of leave", "all")
	s.shot(desk, "leave-policy")
	desk.sees(".policyform", "Its fields").MustElementR("button", "Add it").MustClick()
	desk.sees(".said", "Added: By service")
	give := desk.sees(".policyform", "Give it")
	give.MustElement(`[name="unit"]`).MustSelect("Harbour crew")
	give.MustElement(`[name="opening"]`).MustInput("12.5")
	give.MustElementR("button", "Give it").MustClick()
	desk.sees(".said", "Given")
	desk.sees("tr", "By service[^]*Annual leave[^]*people have it")
	phone.open("/leave")
	phone.sees(".balanceof", "Annual leave[^]*12.50 hours can be taken")
}

// Who is away is drawn by crew with who is left; before the year ends, whoever manages leave tells
// those who will lose some, and the phone has the notice.
func TestWhoIsAwayAndWhoLoses(t *testing.T) {
	s := open(t)
	phone, desk := s.device(390, 844), s.device(1280, 800)
	phone.signIn("Dao Pham")
	desk.signIn("Mira Castellane")
	desk.open("/leave/away")
	desk.sees("tr.g", "Plate shop[^]*fewer than 8 are left")
	desk.sees("tbody", "Marisol Quaye")
	desk.fits("who is away")
	desk.accessible("who is away", "all")
	s.shot(desk, "leave-away")
	desk.open("/leave/lost")
	row := desk.sees("tr.r", "Dao Pham[^]*32.00 h[^]*Fri 1 Jan 2027")
	row.MustElement(`[name="who"]`).MustClick()
	desk.fits("leave that will be lost")
	desk.accessible("leave that will be lost", "all")
	desk.press("Tell those who are ticked")
	desk.sees(".said", "Told: 1 person")
	phone.open("/notices")
	phone.sees("main", "32.00 h of your Annual leave is lost on Fri 1 Jan 2027")
}

// Leave for which there is not enough, on days on which nobody takes it, is refused with what would
// go; a colleague is given some of it once the desk has agreed.
func TestLeaveThatDoesNotGo(t *testing.T) {
	s := open(t)
	phone, desk := s.device(390, 844), s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/setup/leave")
	annual := desk.sees("form.entry", "^Called")
	annual.MustElement(`[name="may_give"]`).MustClick()
	annual.MustElementR("button", "Save").MustClick()
	desk.sees(".said", "Saved: Annual leave")
	phone.signIn("Dao Pham")
	phone.open("/leave?from=2026-12-28&to=2026-12-30#ask")
	phone.sees(".weighed",
		"Not possible Tue 29 Dec – Wed 30 Dec: nobody takes leave then: Stocktaking[^]*This would go: Mon 28 Dec, Mon 4 Jan – Wed 6 Jan")
	phone.fits("leave that doesn't go")
	phone.accessible("leave that doesn't go", "all")
	phone.press("^Ask for it$")
	phone.sees(".said", "Not possible on Tue 29 Dec 2026: nobody takes leave then: Stocktaking")
	phone.open("/leave")
	phone.MustElementR("summary", "Give leave to a colleague").MustClick()
	form := phone.sees(`form[action="/leave/give"]`, "How much")
	form.MustElement(`[name="amount"]`).MustInput("6")
	form.MustElement(`[name="to"]`).MustInput("Marisol Quaye")
	form.MustElementR("button", "Offer it").MustClick()
	phone.sees(".ownday", "6.00 h · Annual leave · Marisol Quaye · asked for")
	desk.open("/leave/asked")
	desk.sees("form.entry", "Dao Pham gives Marisol Quaye 6.00 h of Annual leave").MustElementR("button", "^Approve$").MustClick()
	desk.sees(".said", "Approved, and both are told")
	phone.open("/leave")
	phone.sees(".balanceof", "Annual leave[^]*86.00 hours can be taken[^]*given[^]*6.00")
}
