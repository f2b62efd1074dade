"""Frame numbers as timecode: SMPTE ST 12-1, with drop-frame counting at 30000/1001 and 60000/1001."""

from fractions import Fraction


def timecode(frame: int, rate: Fraction) -> str:
    """Timecode of a frame counted from 0, as HH:MM:SS:FF (HH:MM:SS;FF where numbers are dropped).

    Drop-frame counting skips the first two numbers (four at 59.94) of every minute except each
    tenth, so that 17982 frames make ten minutes at 29.97 (SMPTE ST 12-1:2014, 8.2).
    """
    base = round(rate)
    drops = 2 * (base // 30) if rate.denominator == 1001 and base % 30 == 0 else 0
    if drops:
        ten_minutes, rest = divmod(frame, base * 600 - drops * 9)
        minutes_in = 0 if rest < base * 60 else 1 + (rest - base * 60) // (base * 60 - drops)
        frame += drops * (9 * ten_minutes + minutes_in)
    seconds, frames = divmod(frame, base)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    mark = ";" if drops else ":"
    return f"{hours:02}:{minutes:02}:{seconds:02}{mark}{frames:02}"
