package hours
