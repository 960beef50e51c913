// Numbers as the pages print and read them: with a real minus sign, and with a decimal comma where a person types one.
export const minus = (text) => String(text).replace("-", "−");
export const plain = (text) => Number(String(text).replace("−", "-").replace(",", ".").trim());
