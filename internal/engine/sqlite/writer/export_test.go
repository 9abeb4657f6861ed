package writer

// What the tests look at closely.
var Lossy, ChangedValues = lossy, changedValues
