package web

// Tongues are the languages of pages, for tests that listen to them.
var Tongues = tongues
