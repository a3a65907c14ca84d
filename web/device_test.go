package web

import "testing"

func TestAgentWords(t *testing.T) {
	for agent, want := range map[string]string{
		"": "a program that doesn't say what it is",
		"Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/131.0.0.0 " +
			"Safari/537.36": "Chrome on a Mac",
		"Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/131.0.0.0 Safari/537.36 " +
			"Edg/131.0.0.0": "Edge on Windows",
		"Mozilla/5.0 (iPhone; CPU iPhone OS 18_1 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.1 Mobile/15E148 " +
			"Safari/604.1": "Safari on an iPhone",
		"Mozilla/5.0 (Android 14; Mobile; rv:133.0) Gecko/133.0 Firefox/133.0":   "Firefox on Android",
		"Mozilla/5.0 (X11; Linux x86_64; rv:133.0) Gecko/20100101 Firefox/133.0": "Firefox on Linux",
		"curl/8.5.0": "curl/8.5.0",
	} {
		if got := agentWords(agent); got != want {
			t.Errorf("%q is %q, want %q", agent, got, want)
		}
	}
}
